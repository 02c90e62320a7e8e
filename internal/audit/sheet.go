package audit

import (
	"context"
	"path"
	"strings"

	"tachyform/internal/icon"
	"tachyform/internal/manifest"
	"tachyform/internal/page"
	"tachyform/internal/problem"
)

// Sheet gathers the icons that a site declares, in its manifest and in the head of its entry page, for a contact sheet.
func Sheet(ctx context.Context, in Input) (*icon.Sheet, error) {
	a := newAuditor(ctx, in)
	entry := a.absolute(in.Project.Audit.Entry)
	resp, final := a.follow(entry)
	if resp == nil || resp.Status >= 400 || resp.Body == nil {
		return nil, &problem.Problem{Kind: problem.Read, Where: a.local(entry), What: "the entry page does not open",
			Mend: "set audit.entry to the first page of the site"}
	}
	text, err := resp.Body.Bytes()
	if err != nil {
		return nil, err
	}
	doc := page.ParseDocument(final, resp.Header.Get("Content-Type"), text)
	s := &icon.Sheet{Name: in.Project.App.Text("name"), ShortName: in.Project.App.Text("short_name"),
		Host: strings.TrimPrefix(strings.TrimPrefix(a.origin, "https://"), "http://")}
	seen := map[string]bool{}
	add := func(url, role string) {
		if seen[url+role] {
			return
		}
		seen[url+role] = true
		resp, _ := a.follow(url)
		if resp == nil || resp.Status != 200 || resp.Body == nil {
			return
		}
		data, err := resp.Body.Bytes()
		if err != nil {
			return
		}
		if m, err := icon.Decode(data); err == nil {
			s.Icons = append(s.Icons, icon.SheetIcon{File: path.Base(url), Role: role, Picture: m})
		}
	}
	if url := doc.ManifestURL(); url != "" {
		if resp, at := a.follow(url); resp != nil && resp.Status == 200 && resp.Body != nil {
			body, err := resp.Body.Bytes()
			if err != nil {
				return nil, err
			}
			p, _ := manifest.Process(body, at, final, manifest.Chromium)
			s.Name, s.ShortName = p.Name, p.ShortName
			s.Background, _ = manifest.ParseColour(p.BackgroundColor)
			s.Theme, _ = manifest.ParseColour(p.ThemeColor)
			for _, i := range p.Icons {
				for _, role := range i.Purpose {
					add(i.Src, role)
				}
			}
		}
	}
	for _, t := range doc.LinkTags {
		if href, ok := page.Resolve(doc.Base, t.Attr["href"]); ok {
			switch {
			case t.Rel("apple-touch-icon"):
				add(href, "apple")
			case t.Rel("icon"):
				add(href, "favicon")
			}
		}
	}
	if s.Name == "" {
		s.Name = s.ShortName
	}
	if len(s.Icons) == 0 {
		return nil, &problem.Problem{Kind: problem.Read, Where: a.local(entry),
			What: "the site declares no icon that can be shown",
			Mend: "name a master picture under icons: and run tachyform fit"}
	}
	return s, nil
}
