package fit

import (
	"bytes"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"tachyform/internal/csp"
	"tachyform/internal/page"
	"tachyform/internal/problem"
	"tachyform/internal/request"
	"tachyform/internal/site"
)

// namesPolicy reports whether a text contains the name of the header for content security policies.
func namesPolicy(text []byte) bool {
	const before, after = "content", "security-policy"
	for at := 0; ; at++ {
		dash := bytes.IndexByte(text[at:], '-')
		if dash < 0 {
			return false
		}
		if at += dash; at >= len(before) && at+1+len(after) <= len(text) &&
			bytes.EqualFold(text[at-len(before):at], []byte(before)) && bytes.EqualFold(text[at+1:at+1+len(after)], []byte(after)) {
			return true
		}
	}
}

// allowed makes sure that a page's content security policy lets it have what the head tags ask for and the script that
// registers the worker starts. It is asked before anything is written: browsers drop what is forbidden without a word on
// the page.
func (o *output) allowed(file *site.File, text []byte, w HeadTags) error {
	sent := o.policiesSent(file)
	if len(sent) == 0 && !namesPolicy(text) {
		return nil
	}
	url := o.f.Origin() + o.f.PathOf(file)
	policy := csp.Parse(url, append(page.ParseDocument(url, o.f.ContentType(file), text).Policies(), sent...))
	for _, part := range []struct {
		destination request.Destination
		path, what  string
	}{
		{request.Script, w.Register, "the script that registers the worker"},
		{request.ServiceWorker, o.p.Worker.File, "the worker"},
		{request.Manifest, w.Manifest, "the manifest"},
	} {
		if part.path == "" || w.Register == "" && part.destination != request.Manifest || policy.Allows(csp.Request{Destination: part.destination, URL: o.f.Origin() + part.path,
			ParserInserted: true}) {
			continue
		}
		directive := strings.TrimSuffix(csp.DirectiveFor(part.destination), "-elem")
		return &problem.Problem{Kind: problem.Usage, Where: filepath.Join(o.f.Dir, filepath.FromSlash(file.Path)),
			What: fmt.Sprintf("the page's content security policy forbids %s, %s; nothing was written", part.what, part.path),
			Mend: fmt.Sprintf("allow it with %s 'self' in the policy, or name the page under head.leave_out", directive)}
	}
	return nil
}

// policiesSent are the policies that the host sends with a page.
func (o *output) policiesSent(file *site.File) (list []string) {
	for _, h := range o.p.Host.Headers {
		for name, value := range h.Set {
			if value == nil || !strings.EqualFold(name, "content-security-policy") {
				continue
			}
			if m, err := site.NewPattern(h.Match, o.f.Origin()); err == nil && m.Match(o.f.Origin()+o.f.PathOf(file)) && !slices.Contains(list, *value) {
				list = append(list, *value)
			}
		}
	}
	return list
}
