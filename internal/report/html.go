package report

import (
	"bytes"
	_ "embed"
	"encoding/base64"
	"fmt"
	"html/template"
	"slices"
	"sort"
	"strings"

	"tachyform/internal/audit"
	"tachyform/internal/condition"
	"tachyform/internal/rehearsal"
	"tachyform/internal/target"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/worker"
)

//go:embed report.html
var htmlText string

var htmlTemplate = template.Must(template.New("report").Funcs(template.FuncMap{
	"place":      placeText,
	"slug":       func(word any) string { return strings.ReplaceAll(fmt.Sprint(word), " ", "-") },
	"code":       slugCode,
	"plural":     count,
	"size":       size,
	"targetName": func(t string) string { return targetNames[t] },
	"opens":      opensWords,
	"to":         onTargets,
	"install":    func(t string) string { return howInstalled[t] },
}).Parse(scenariosText + htmlText))

// htmlFinding is a finding with the words for where it is felt.
type htmlFinding struct {
	*audit.Finding
	Felt string
}

// opensWords says in words how a display mode looks.
func opensWords(mode string) string {
	switch mode {
	case "standalone":
		return "in a window of its own"
	case "fullscreen":
		return "on the whole screen"
	case "minimal-ui":
		return "in a window with a small bar"
	case "browser":
		return "in a browser tab"
	}
	return "as " + mode
}

var targetNames = map[string]string{target.ChromiumAndroid: "Chromium on Android",
	target.ChromiumDesktop: "Chromium on the desktop", target.SafariIOS: "Safari on iOS",
	target.SafariMacOS: "Safari on macOS", target.FirefoxAndroid: "Firefox on Android"}

func slugCode(s string) string { return strings.ReplaceAll(s, ".", "-") }

type htmlView struct {
	R          *audit.Report
	Name       string
	Targets    []htmlTarget
	Conditions []string
	Pages      []htmlPage
	MorePages  int // that are not listed, none of them worse than those that are
	Groups     []htmlGroup
	Caches     []htmlCache
	Tallies    []htmlTally
	Sheet      template.URL
	// Scenarios are those of a handover, if one was asked for.
	Scenarios []handoverRow
}

type htmlTarget struct {
	Name string
	*audit.TargetVerdict
}

type htmlPage struct {
	URL, Title string
	Cells      []htmlCell
	Worst      string
	// Sources says where what the page asks for comes from without a network, its document among it.
	Sources []htmlSource
}

// htmlSource is one part of the picture of a page's requests.
type htmlSource struct {
	Kind, Words string
	Count       int
}

// sourcesOf counts where a page's document and what it asks for came from.
func sourcesOf(o *rehearsal.PageOutcome) (list []htmlSource) {
	if o == nil {
		return nil
	}
	n := map[string]int{}
	kind := func(source fetch.Source) string {
		switch {
		case RuleOf(source) == "pack":
			return "pack"
		case source.Kind == fetch.CacheSource:
			return "kept"
		case source.Kind == fetch.NoSource:
			return "missing"
		}
		return source.String()
	}
	n[kind(o.AnsweredBy)]++
	for _, l := range o.Loads {
		switch {
		case l.Background:
		case l.Missing || !l.Done:
			n["missing"]++
		default:
			n[kind(l.Source)]++
		}
	}
	for _, k := range [][2]string{{"pack", "from the pack"}, {"kept", "from what rules or caches kept"},
		{"worker", "made by the worker"}, {"network", "from the network"}, {"missing", "missing"}} {
		if n[k[0]] > 0 {
			list = append(list, htmlSource{k[0], k[1], n[k[0]]})
		}
	}
	return list
}

type htmlCell struct {
	Condition string
	*audit.PageResult
}

type htmlGroup struct {
	Weight, Title string
	Findings      []htmlFinding
}

type htmlCache struct {
	Name    string
	Entries []htmlEntry
	Bytes   int64
	More    int
}

type htmlEntry struct {
	URL   string
	Bytes int64
}

type htmlTally struct {
	Condition string
	Parts     []htmlPart
}

type htmlPart struct {
	Outcome rehearsal.Outcome
	Count   int
	Share   template.CSS
}

// mostRows bounds the rows that a large site's report lists.
const (
	maxPageRows  = 1000
	maxCacheRows = 200
)

// HTML gives the report as one self-contained page.
func HTML(r *audit.Report) ([]byte, error) {
	v := htmlView{R: r, Name: r.Name, Conditions: conditionsOf(r.Pages)}
	if v.Name == "" {
		v.Name = r.Site
	}
	if r.Manifest != nil && r.Manifest.Processed != nil && r.Manifest.Processed.Name != "" {
		v.Name = r.Manifest.Processed.Name
	}
	for _, t := range target.All {
		if x := r.Targets[t]; x != nil {
			v.Targets = append(v.Targets, htmlTarget{t, x})
		}
	}
	if r.Handover != nil {
		v.Scenarios = handoverRows(r.Handover)
	}
	offline := map[string]*rehearsal.PageOutcome{}
	if r.Rehearsal != nil {
		for _, p := range r.Rehearsal.Pages {
			offline[strings.TrimPrefix(p.URL, r.Origin)] = p.Under[condition.Offline.Name]
		}
	}
	v.MorePages = max(0, len(r.Pages)-maxPageRows)
	pages := slices.Clone(r.Pages)
	slices.SortStableFunc(pages, func(a, b *audit.PageReport) int { return worst(a) - worst(b) })
	for _, p := range pages[:min(len(pages), maxPageRows)] {
		row := htmlPage{URL: p.URL, Title: p.Title, Worst: "whole", Sources: sourcesOf(offline[p.URL])}
		if w := worst(p); w < len(outcomeOrder) {
			row.Worst = string(outcomeOrder[w])
		}
		for _, c := range v.Conditions {
			row.Cells = append(row.Cells, htmlCell{c, p.Under[c]})
		}
		v.Pages = append(v.Pages, row)
	}
	for _, c := range v.Conditions {
		t := htmlTally{Condition: c}
		counts := tallyOf(r.Pages, c)
		all := 0
		for _, x := range counts {
			all += x.n
		}
		for _, x := range counts {
			t.Parts = append(t.Parts, htmlPart{x.word, x.n, template.CSS(fmt.Sprintf("%.2f%%", float64(x.n)*100/float64(all)))})
		}
		v.Tallies = append(v.Tallies, t)
	}
	for _, g := range []htmlGroup{{audit.Blocker, "Blockers", nil}, {audit.Risk, "Risks", nil},
		{audit.Polish, "Polish", nil}} {
		for _, f := range r.Findings {
			if f.Weight == g.Weight {
				g.Findings = append(g.Findings, htmlFinding{f, weights(r, f)})
			}
		}
		if len(g.Findings) > 0 {
			v.Groups = append(v.Groups, g)
		}
	}
	if r.Rehearsal != nil {
		for _, c := range r.Rehearsal.Caches {
			out := htmlCache{Name: worker.WithoutStamp(c.Name)}
			for _, e := range c.Entries {
				out.Entries = append(out.Entries, htmlEntry{strings.TrimPrefix(e.URL, r.Origin), e.Bytes})
				out.Bytes += e.Bytes
			}
			sort.SliceStable(out.Entries, func(i, j int) bool { return out.Entries[i].Bytes > out.Entries[j].Bytes })
			if n := len(out.Entries) - maxCacheRows; n > 0 {
				out.More, out.Entries = n, out.Entries[:maxCacheRows]
			}
			v.Caches = append(v.Caches, out)
		}
	}
	if r.Sheet != nil {
		data, err := r.Sheet.PNG()
		if err != nil {
			return nil, err
		}
		v.Sheet = template.URL("data:image/png;base64," + base64.StdEncoding.EncodeToString(data))
	}
	var b bytes.Buffer
	err := htmlTemplate.Execute(&b, v)
	return b.Bytes(), err
}
