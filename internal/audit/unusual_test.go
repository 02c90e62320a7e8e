package audit

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// What a page lacks in one variant, or after a press, says nothing of its worker's memory or the browser's cache: the page is whole as it is opened.
func TestUnusualOutcomesAlone(t *testing.T) {
	for code, script := range map[string]string{
		"offline.varies":  "if (innerWidth < 600) fetch('/tides.json').then((r) => r.json()).then((t) => document.body.append(t))",
		"offline.partial": "const b = document.createElement('button'); b.textContent = 'Tides'; b.onclick = () => fetch('/tides.json').then((r) => r.json()).then((t) => document.body.append(t)); document.body.append(b)",
	} {
		files := goodSite()
		files["tides.json"] = `"low"`
		files["index.html"] = strings.Replace(files["index.html"], "</body>", "<script>"+script+"</script></body>", 1)
		r := judge(t, files, "hosting: {headers: [{match: /*, set: {Cache-Control: max-age=900}}]}")
		var risks []string
		for _, finding := range r.Findings {
			if finding.Weight != Polish {
				risks = append(risks, finding.Code)
			}
		}
		assert.Equal(t, []string{code}, risks)
	}
}
