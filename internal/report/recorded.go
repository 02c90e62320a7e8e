package report

import (
	"fmt"
	"path"
	"strings"

	"tachyform/internal/project"
)

// Recorded tells what a server answered, as lines for the project file.
func Recorded(list []project.Answer, backend string) string {
	if len(list) == 0 {
		return "The pages asked " + safe(backend) + " for nothing.\n"
	}
	var b strings.Builder
	fmt.Fprintf(&b, "%s of %s recorded. In the project file these take the place of backend:\n\n", count(len(list), "answer", "answers"), safe(backend))
	fmt.Fprintln(&b, "hosting:\n  answers:")
	for _, a := range list {
		fields := []string{"match: " + yamlWord(a.Match)}
		if a.File != "" {
			fields = append(fields, "file: "+yamlWord(a.File))
		}
		if a.Status != 200 {
			fields = append(fields, fmt.Sprintf("status: %d", a.Status))
		}
		if a.MediaType != "" && !strings.HasSuffix(a.MediaType, strings.TrimPrefix(path.Ext(a.File), ".")) {
			fields = append(fields, "media_type: "+yamlWord(a.MediaType))
		}
		fmt.Fprintf(&b, "    - {%s}\n", safe(strings.Join(fields, ", ")))
	}
	return b.String()
}

// yamlWord writes a text as YAML in a flow mapping, quoted where it has to be.
func yamlWord(text string) string {
	if strings.ContainsAny(text, "{}[],:#&*!|>'\"%@` ") {
		return fmt.Sprintf("%q", text)
	}
	return text
}
