package site

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"tachyform/internal/inputfile"
	"tachyform/internal/problem"
	"tachyform/internal/project"

	whatwg "github.com/nlnwa/whatwg-url/url"
)

// hosting is the compiled form of the project file's hosting section.
type hosting struct {
	project.Hosting
	headers   []compiledHeader
	redirects []compiledRedirect
	statuses  []compiledStatus
	answers   []compiledAnswer
	backend   *Live // nil for none
}

type compiledHeader struct {
	*Pattern
	set map[string]*string
}
type compiledRedirect struct {
	pattern *Pattern
	project.Redirect
}
type compiledStatus struct {
	pattern *Pattern
	project.StatusRule
}

type compiledAnswer struct {
	pattern *Pattern
	project.Answer
}

func compileHosting(h project.Hosting, origin string) (*hosting, error) {
	c := &hosting{Hosting: h}
	for _, r := range h.Headers {
		p, err := NewPattern(r.Match, origin)
		if err != nil {
			return nil, fmt.Errorf("hosting.headers: %q is not a URL pattern: %w", r.Match, err)
		}
		c.headers = append(c.headers, compiledHeader{p, r.Set})
	}
	for _, r := range h.Redirects {
		p, err := NewPattern(r.Match, origin)
		if err != nil {
			return nil, fmt.Errorf("hosting.redirects: %q is not a URL pattern: %w", r.Match, err)
		}
		c.redirects = append(c.redirects, compiledRedirect{p, r})
	}
	for _, r := range h.Statuses {
		p, err := NewPattern(r.Match, origin)
		if err != nil {
			return nil, fmt.Errorf("hosting.statuses: %q is not a URL pattern: %w", r.Match, err)
		}
		c.statuses = append(c.statuses, compiledStatus{p, r})
	}
	for _, r := range h.Answers {
		p, err := NewPattern(r.Match, origin)
		if err != nil {
			return nil, fmt.Errorf("hosting.answers: %q is not a URL pattern: %w", r.Match, err)
		}
		c.answers = append(c.answers, compiledAnswer{p, r})
	}
	if h.Backend != "" {
		c.backend = newBackend(h.Backend, h.BackendElsewhere)
	}
	return c, nil
}

func hasCookie(r *Request, name string) bool {
	for _, part := range strings.Split(r.Header.Get("Cookie"), ";") {
		n, _, _ := strings.Cut(strings.TrimSpace(part), "=")
		if n == name {
			return true
		}
	}
	return false
}

func newResponse(status int, contentType string, body Body) *Response {
	h := http.Header{}
	h.Set("Content-Type", contentType)
	h.Set("Cache-Control", "no-cache")
	return &Response{Status: status, StatusText: http.StatusText(status), Header: h, Body: body}
}

// plain answers with a line of text.
func plain(status int) *Response {
	text := fmt.Sprintf("%d %s\n", status, http.StatusText(status))
	if status == http.StatusNotFound {
		text = "not found"
	}
	return newResponse(status, "text/plain; charset=utf-8", Bytes(text))
}

func redirect(status int, to string) *Response {
	r := newResponse(status, "text/plain; charset=utf-8", Bytes(""))
	r.Header.Set("Location", to)
	return r
}

// Answer answers as the host described by the hosting section would.
func (f *Folder) Answer(ctx context.Context, r *Request) (*Response, error) {
	resp, err := f.route(ctx, r)
	if err != nil {
		return nil, err
	}
	full := r.URL.Href(true)
	for _, h := range f.hosting.headers {
		if !h.Match(full) {
			continue
		}
		for name, value := range h.set {
			if value == nil {
				resp.Header.Del(name)
			} else {
				resp.Header.Set(name, *value)
			}
		}
	}
	if resp.Status == 200 {
		applyRange(r, resp)
	}
	if resp.Body != nil && resp.Header.Get("Content-Length") == "" {
		resp.Header.Set("Content-Length", strconv.FormatInt(resp.Body.Len(), 10))
	}
	return resp, nil
}

// AnswersItself says whether the folder answers a request by a rule or a file of its own, so that a server behind it need not be
// asked.
func (f *Folder) AnswersItself(r *Request) bool {
	if resp, err := f.byRule(r, r.URL.Href(true)); resp != nil || err != nil {
		return true
	}
	if r.Method != "GET" && r.Method != "HEAD" {
		return false
	}
	_, found := f.find(r)
	return found
}

// byRule gives the answer that a redirect or a stated answer of the settings makes, nil for none.
func (f *Folder) byRule(r *Request, full string) (*Response, error) {
	for _, rule := range f.hosting.redirects {
		if !rule.pattern.Match(full) || rule.UnlessCookie != "" && hasCookie(r, rule.UnlessCookie) {
			continue
		}
		return redirect(rule.Status, fillIn(rule.To, rule.pattern.Captures(full))), nil
	}
	return f.stated(r, full)
}

func (f *Folder) route(ctx context.Context, r *Request) (*Response, error) {
	full := r.URL.Href(true)
	if resp, err := f.byRule(r, full); resp != nil || err != nil {
		return resp, err
	}
	if r.Method != "GET" && r.Method != "HEAD" {
		if f.hosting.backend != nil {
			return nil, ErrNotSent
		}
		resp := plain(405)
		resp.Header.Set("Allow", "GET, HEAD")
		return resp, nil
	}
	resp, found := f.find(r)
	if !found && f.hosting.backend != nil {
		behind, err := f.askBackend(ctx, r)
		if err != nil || behind.Status != 404 {
			return behind, err
		}
	}
	for _, rule := range f.hosting.statuses {
		if rule.pattern.Match(full) && !(rule.UnlessCookie != "" && hasCookie(r, rule.UnlessCookie)) {
			if resp.Status != 200 {
				return plain(rule.Status), nil
			}
			resp.Status, resp.StatusText = rule.Status, http.StatusText(rule.Status)
		}
	}
	return resp, nil
}

// mostAnswer bounds the size of a file under hosting.answers, in bytes.
const mostAnswer = 64 << 20

// stated gives the answer of a server behind the host that the settings state, nil where they state none.
func (f *Folder) stated(r *Request, full string) (*Response, error) {
	for _, a := range f.hosting.answers {
		if a.Method != r.Method && !(a.Method == "GET" && r.Method == "HEAD") || !a.pattern.Match(full) {
			continue
		}
		if a.File == "" {
			return plain(a.Status), nil
		}
		text, err := inputfile.Read(a.File, mostAnswer)
		if err != nil {
			return nil, &problem.Problem{Kind: problem.Read, Where: a.File, What: "the answer to " + a.Match +
				" cannot be read: " + err.Error(), Mend: "correct hosting.answers in " + project.FileName, Cause: err}
		}
		kind := a.MediaType
		if kind == "" {
			kind = mediaType(a.File, f.hosting.MediaTypes)
		}
		return newResponse(a.Status, kind, Bytes(text)), nil
	}
	return nil, nil
}

// askBackend asks the server behind the host.
func (f *Folder) askBackend(ctx context.Context, r *Request) (*Response, error) {
	u, err := whatwg.Parse(f.hosting.backend.Origin() + strings.TrimPrefix(r.URL.Href(true), f.origin))
	if err != nil {
		return nil, err
	}
	behind := *r
	behind.URL = u
	resp, err := f.hosting.backend.Answer(ctx, &behind)
	if errors.Is(err, errElsewhere) {
		return nil, &problem.Problem{Kind: problem.Usage, Where: f.hosting.backend.Origin(),
			What: "hosting.backend names a server on another machine; no request was sent to it",
			Mend: "if you trust it, name it on the command line: --backend " + f.hosting.backend.Origin(), Cause: err}
	}
	if err != nil {
		return nil, &problem.Problem{Kind: problem.Read, Where: f.hosting.backend.Origin(),
			What: "the server of hosting.backend does not answer: " + err.Error(), Mend: "start it, or remove hosting.backend",
			Cause: err}
	}
	out := *resp
	out.Header = resp.Header.Clone()
	return &out, nil
}

// States says whether the settings state how a server behind the host answers at a URL, or name one that is asked.
func (f *Folder) States(url string) bool {
	return f.hosting.backend != nil || slices.ContainsFunc(f.hosting.answers,
		func(a compiledAnswer) bool { return a.pattern.Match(url) })
}

// groupName is a group of a pattern as it stands in the target of a redirect.
var groupName = regexp.MustCompile(`:[\p{L}_$][\p{L}\p{N}_$]*`)

// fillIn puts what the groups of a pattern took into the target of a redirect. A name that is no group stays: it may
// be a port.
func fillIn(to string, groups map[string]string) string {
	return groupName.ReplaceAllStringFunc(to, func(name string) string {
		if value, there := groups[name[1:]]; there {
			return value
		}
		return name
	})
}

// emptyHosting is that of a host of which nothing was said.
var emptyHosting = project.Default("").Host

// find maps the path to a file by the habits of the host; found is false where it has none for it.
func (f *Folder) find(r *Request) (resp *Response, found bool) {
	raw := r.URL.Pathname()
	query := r.URL.Search()
	decoded, err := url.PathUnescape(raw)
	if err != nil || !strings.HasPrefix(decoded, f.address) {
		if decoded+"/" == f.address {
			return redirect(301, f.address+query), true
		}
		return plain(404), false
	}
	if f.Hides(strings.TrimPrefix(decoded, f.address)) {
		return plain(404), false
	}
	if file := f.byURL[raw]; file != nil {
		if now := f.byPath[file.Path]; now != nil {
			return f.answerFile(200, now), true
		}
	}
	rel := strings.TrimPrefix(decoded, f.address)
	if file := f.File(rel); file != nil {
		if f.hosting.Extensionless == "redirect" && strings.HasSuffix(rel, ".html") && !f.isIndex(rel) {
			return redirect(301, strings.TrimSuffix(raw, ".html")+query), true
		}
		return f.answerFile(200, file), true
	}
	folder := strings.TrimSuffix(rel, "/")
	if index := f.index(folder); index != nil {
		slashed := rel == "" || strings.HasSuffix(rel, "/")
		switch {
		case !slashed && f.hosting.Slash == "add":
			return redirect(301, raw+"/"+query), true
		case slashed && rel != "" && f.hosting.Slash == "remove":
			return redirect(301, strings.TrimSuffix(raw, "/")+query), true
		}
		return f.answerFile(200, index), true
	}
	if f.hosting.Extensionless != "none" && rel != "" && !strings.HasSuffix(rel, "/") {
		if file := f.File(rel + ".html"); file != nil {
			return f.answerFile(200, file), true
		}
	}
	for _, other := range []struct {
		path   string
		status int
	}{{f.hosting.SinglePage, 200}, {f.hosting.NotFound, 404}} {
		if other.path == "" {
			continue
		}
		if file := f.File(strings.TrimPrefix(other.path, f.address)); file != nil {
			return f.answerFile(other.status, file), false
		}
	}
	return plain(404), false
}

// Hides says whether the host keeps a file to itself, by its path relative to the folder: those whose names begin with
// a dot, which hold what nobody meant to deploy, unless the project file says otherwise.
func (f *Folder) Hides(rel string) bool {
	if f.hosting.Hidden == "answer" || f.byURL != nil || strings.HasPrefix(rel, ".well-known/") {
		return false
	}
	return strings.HasPrefix(rel, ".") || strings.Contains(rel, "/.")
}

func (f *Folder) isIndex(rel string) bool {
	for _, name := range f.hosting.Index {
		if path.Base(rel) == name {
			return true
		}
	}
	return false
}

func (f *Folder) index(folder string) *File {
	for _, name := range f.hosting.Index {
		if file := f.File(strings.TrimPrefix(folder+"/"+name, "/")); file != nil {
			return file
		}
	}
	return nil
}

// ContentType is the media type that the host names for a file, header rules aside.
func (f *Folder) ContentType(file *File) string {
	if file.kind != "" {
		return file.kind
	}
	return mediaType(f.address+file.Path, f.hosting.MediaTypes)
}

func (f *Folder) answerFile(status int, file *File) *Response {
	return newResponse(status, f.ContentType(file), file)
}

// SingleRange reads a Range header of one range of bytes, against content of a size (RFC 9110, 14.1.2). ok is false for
// other headers; where from lies behind to, there is nothing in the range.
func SingleRange(header string, size int64) (from, to int64, ok bool) {
	spec, ok := strings.CutPrefix(header, "bytes=")
	if !ok || strings.Contains(spec, ",") {
		return 0, 0, false
	}
	first, last, ok := strings.Cut(spec, "-")
	if !ok {
		return 0, 0, false
	}
	from, err1 := strconv.ParseInt(first, 10, 64)
	to, err2 := strconv.ParseInt(last, 10, 64)
	switch {
	case first == "" && err2 == nil:
		return max(size-to, 0), size - 1, true
	case err1 != nil:
		return 0, 0, false
	case err2 != nil || to >= size:
		to = size - 1
	}
	return from, to, true
}

// applyRange answers a request for one byte range with status 206 (RFC 9110, 14.2).
func applyRange(r *Request, resp *Response) {
	header := r.Header.Get("Range")
	if header == "" {
		return
	}
	all, err := resp.Body.Bytes()
	if err != nil {
		return
	}
	size := int64(len(all))
	from, to, ok := SingleRange(header, size)
	if !ok {
		return
	}
	if from > to {
		resp.Status, resp.StatusText, resp.Body = http.StatusRequestedRangeNotSatisfiable,
			http.StatusText(http.StatusRequestedRangeNotSatisfiable), Bytes("")
		resp.Header.Set("Content-Range", fmt.Sprintf("bytes */%d", size))
		return
	}
	resp.Status, resp.StatusText, resp.Body = http.StatusPartialContent, http.StatusText(http.StatusPartialContent),
		Bytes(all[from:to+1])
	resp.Header.Set("Content-Range", fmt.Sprintf("bytes %d-%d/%d", from, to, size))
}
