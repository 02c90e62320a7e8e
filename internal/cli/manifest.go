package cli

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"

	"github.com/spf13/cobra"

	"tachyform/internal/fit"
	"tachyform/internal/inputfile"
	"tachyform/internal/manifest"
	"tachyform/internal/problem"
	"tachyform/internal/report"
)

func (a *app) manifest() *cobra.Command {
	var process, manifestURL, documentURL, as, into string
	var lines bool
	c := &cobra.Command{
		Use:   "manifest [SITE]",
		Short: "Print or write the manifest alone, or see what browsers make of one",
		Long: `Manifest prints the manifest that fit would write, or writes it alone with
--into: of a file that is there only what tachyform.yaml asks for is changed.
With --process it shows what a browser takes from a manifest, and what it
passes over.`,
		Args: cobra.MaximumNArgs(1),
	}
	a.formatFlag(c)
	c.Flags().StringVar(&process, "process", "", "read this `file` as a browser would (- for standard input)")
	c.Flags().StringVar(&into, "into", "", "write it to this `file`, changing only what is asked where the file is there")
	c.Flags().StringVar(&manifestURL, "manifest-url", "https://site.example/site.webmanifest",
		"the address the manifest was fetched from")
	c.Flags().StringVar(&documentURL, "document-url", "https://site.example/", "the address of the page that links to it")
	c.Flags().StringVar(&as, "as", "standard", "whose reading to follow: standard, chromium or firefox")
	c.Flags().BoolVar(&lines, "jsonl", false, "the file holds one manifest a line, as JSON with id, manifestText, "+
		"manifestURL and documentURL")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if err := a.checkFormat(); err != nil {
			return err
		}
		if as != "standard" && as != "chromium" && as != "firefox" {
			return usagef("--as takes standard, chromium or firefox, not %q", as)
		}
		if process != "" {
			return a.processManifest(process, manifestURL, documentURL, manifest.As(as), lines)
		}
		_, plan, err := a.planned(cmd, args)
		if err != nil {
			return err
		}
		if into != "" {
			return a.writeManifest(plan, into)
		}
		_, err = a.exact.Write(plan.Manifest)
		return err
	}
	return c
}

// writeManifest writes the manifest alone: anew, or into one that is there, of which only what the project file asks
// for changes.
func (a *app) writeManifest(plan *fit.Plan, file string) error {
	text := plan.Manifest
	old, err := inputfile.Read(file, manifest.Limit)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return &problem.Problem{Kind: problem.Read, Where: file, What: "the manifest that is there cannot be read: " +
			problem.Innermost(err), Mend: "name another file", Cause: err}
	}
	if err == nil {
		if text, err = manifest.Merge(old, plan.Members); err != nil {
			return fit.UnreadableManifest(file, old, err)
		}
		if bytes.Equal(text, old) {
			fmt.Fprintf(a.out, "%s is as it should be.\n", file)
			return nil
		}
	}
	if err := writeOutput(file, text, "the manifest", "name a file in a folder that can be written to"); err != nil {
		return err
	}
	fmt.Fprintf(a.out, "%s written; link to it from every page.\n", file)
	return nil
}

// issueJSON is how a manifest's issue is printed.
type issueJSON struct {
	Code   string `json:"code"`
	Member string `json:"member"`
	Line   int    `json:"line"`
	Column int    `json:"column"`
	What   string `json:"what"`
	Mend   string `json:"mend"`
}

func issuesJSON(list []manifest.Issue) []issueJSON {
	out := []issueJSON{}
	for _, i := range list {
		out = append(out, issueJSON(i))
	}
	return out
}

func (a *app) processManifest(file, manifestURL, documentURL string, as manifest.As, lines bool) error {
	in := a.in
	limit := int64(manifest.Limit)
	if lines {
		limit = 1 << 30 // many of them
	}
	if file != "-" {
		text, err := inputfile.Read(file, limit)
		if err != nil {
			return &problem.Problem{Kind: problem.Read, Where: file, What: "the manifest cannot be read: " +
				problem.Innermost(err), Mend: "name a file, or - for standard input", Cause: err}
		}
		in = bytes.NewReader(text)
	}
	if !lines {
		text, err := io.ReadAll(io.LimitReader(in, limit+1))
		if err != nil {
			return wrapRead(file, err)
		}
		if int64(len(text)) > limit {
			return &problem.Problem{Kind: problem.Read, Where: file, What: "this is no manifest: it has more than 16 MB",
				Mend: "name the manifest's file"}
		}
		p, issues := manifest.Process(text, manifestURL, documentURL, as)
		if a.format == "json" {
			return a.json(map[string]any{"processed": p, "findings": issuesJSON(issues)})
		}
		fmt.Fprint(a.out, report.Manifest(p, issues, file, a.width))
		return nil
	}
	scanner := bufio.NewScanner(in)
	scanner.Buffer(nil, 64<<20)
	for n := 1; scanner.Scan(); n++ {
		var item struct{ ID, ManifestText, ManifestURL, DocumentURL string }
		if err := json.Unmarshal(scanner.Bytes(), &item); err != nil {
			return &problem.Problem{Kind: problem.Read, Where: fmt.Sprintf("%s:%d", file, n), What: "this line is not JSON: " +
				err.Error()}
		}
		p, issues := manifest.Process([]byte(item.ManifestText), item.ManifestURL, item.DocumentURL, as)
		text, err := report.JSON(map[string]any{"id": item.ID, "processed": p, "findings": issuesJSON(issues)}, false)
		if err != nil {
			return err
		}
		if _, err := a.out.Write(text); err != nil {
			return err
		}
	}
	return wrapRead(file, scanner.Err())
}
