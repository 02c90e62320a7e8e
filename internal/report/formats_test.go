package report

import (
	"encoding/json"
	"encoding/xml"
	"net/url"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/audit"
)

// What machines read is well-formed whatever a site says, and says what people are told.
func TestFormats(t *testing.T) {
	r := sample(3)
	r.Changed = []audit.Override{{Code: "page.icon", From: "polish", To: "off", Reason: hostile, Findings: 2}}
	r.Findings = append(r.Findings, &audit.Finding{Code: "offline.lost", Weight: audit.Risk, Title: "Lost",
		Where: audit.Where{URL: "/far.html"}, Mend: "keep it"})

	text, err := SARIF(r)
	require.NoError(t, err)
	var sarif struct {
		Version string
		Runs    []struct {
			Tool struct {
				Driver struct{ Rules []struct{ ID string } }
			}
			Results []struct {
				RuleID    string
				RuleIndex int
				Level     string
				Message   struct{ Text string }
				Locations []struct {
					PhysicalLocation struct {
						ArtifactLocation struct{ URI string }
						Region           *struct{ StartLine, StartColumn int }
					}
				}
			}
		}
	}
	require.NoError(t, json.Unmarshal(text, &sarif))
	require.Len(t, sarif.Runs, 1)
	assert.Equal(t, "2.1.0", sarif.Version)
	require.Len(t, sarif.Runs[0].Results, len(r.Findings))
	for i, result := range sarif.Runs[0].Results {
		assert.Equal(t, result.RuleID, sarif.Runs[0].Tool.Driver.Rules[result.RuleIndex].ID)
		assert.Equal(t, map[string]string{audit.Blocker: "error", audit.Risk: "warning",
			audit.Polish: "note"}[r.Findings[i].Weight], result.Level)
		at := result.Locations[0].PhysicalLocation
		_, err := url.Parse(at.ArtifactLocation.URI)
		assert.NoError(t, err)
		if r.Findings[i].Where.File != "" {
			assert.Equal(t, 3, at.Region.StartLine)
		} else {
			assert.Equal(t, "https://line.example/far.html", at.ArtifactLocation.URI)
		}
		assert.NotContains(t, result.Message.Text, "\x1b")
	}

	text, err = JUnit(r, audit.Risk)
	require.NoError(t, err)
	var junit struct {
		Tests    int `xml:"tests,attr"`
		Failures int `xml:"failures,attr"`
		Cases    []struct {
			Name    string    `xml:"name,attr"`
			Failure *struct{} `xml:"failure"`
		} `xml:"testsuite>testcase"`
	}
	require.NoError(t, xml.Unmarshal(text, &junit))
	assert.Len(t, junit.Cases, junit.Tests)
	failed := map[string]bool{}
	for _, c := range junit.Cases {
		if c.Failure != nil {
			failed[c.Name] = true
		}
	}
	assert.Equal(t, map[string]bool{"safari-ios": true, "page.theme": true, "offline.lost": true}, failed)
	assert.Equal(t, 3, junit.Failures)

	told := string(Markdown(r))
	for _, word := range []string{"**not ready**", "app.unlinked", "dist/index.html:3:1", "1 whole, 1 partial, 1 lost",
		"`page.icon` is off here"} {
		assert.Contains(t, told, word)
	}
	assert.NotContains(t, told, "<script")
	assert.NotContains(t, told, "\x1b")
}

// The audit's JSON is what its schema says.
func TestAuditSchema(t *testing.T) {
	text, err := json.Marshal(AuditSchema())
	require.NoError(t, err)
	doc, err := jsonschema.UnmarshalJSON(strings.NewReader(string(text)))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("audit.json", doc))
	schema, err := c.Compile("audit.json")
	require.NoError(t, err)
	check := func(change func(*audit.Report)) error {
		r := sample(3)
		r.Schema = "tachyform.audit/1"
		change(r)
		text, err := json.Marshal(r)
		require.NoError(t, err)
		value, err := jsonschema.UnmarshalJSON(strings.NewReader(string(text)))
		require.NoError(t, err)
		return schema.Validate(value)
	}
	assert.NoError(t, check(func(*audit.Report) {}))
	assert.NoError(t, check(func(r *audit.Report) {
		r.Compare(sample(1), "earlier.json")
		r.Manifest, r.Worker = nil,
			nil
	}))
	assert.Error(t, check(func(r *audit.Report) { r.Summary.Verdict = "perhaps" }))
	assert.Error(t, check(func(r *audit.Report) { r.Findings[0].Weight = "heavy" }))
}
