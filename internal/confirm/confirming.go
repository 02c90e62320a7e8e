package confirm

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"os"
	"slices"
	"strings"
	"time"

	"tachyform/internal/audit"
	"tachyform/internal/condition"
	"tachyform/internal/driver"
	"tachyform/internal/inputfile"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/weburl"
)

// Unknown is a page whose outcome under a condition is unknown.
type Unknown struct {
	Path      string
	Condition condition.Condition
}

// UnknownPages lists the pages of a report whose outcome is unknown.
func UnknownPages(r *audit.Report) (list []Unknown) {
	for _, c := range condition.All {
		for _, p := range r.Pages {
			if o := p.Under[c.Name]; o != nil && (!o.Known || o.Confirmed != nil) {
				list = append(list, Unknown{p.URL, c})
			}
		}
	}
	return list
}

// Answer is what a real browser showed of an Unknown.
type Answer struct {
	Unknown
	Outcome rehearsal.Outcome
	Title   string
	// Unclear is the reason why nothing is confirmed, or "".
	Unclear string
	// Requests are the URLs that the page requested online, without queries; paths for those of the site.
	Requests []string
}

// sightOnline is a page as a browser showed it online.
type sightOnline struct {
	Sight
	picture  image.Image
	steady   bool // it shows the same each time
	requests []string
}

// Confirm opens pages online and under their conditions, in a browser with a new profile.
func (s *Site) Confirm(ctx context.Context, b driver.Browser, pages []Unknown) ([]Answer, error) {
	tab, end, err := s.visited(ctx, b)
	if err != nil {
		return nil, err
	}
	defer end()
	answers := make([]Answer, len(pages))
	pictures := make([]image.Image, len(pages))
	seen := make([]Sight, len(pages))
	view := func(path string) (Sight, image.Image) {
		_ = tab.Load("about:blank")
		_ = tab.Load(s.Server.Origin() + path)
		sight := s.settle(ctx, tab, anything)
		data, err := tab.Picture()
		if err != nil {
			return sight, nil
		}
		picture, _ := png.Decode(bytes.NewReader(data))
		return sight, picture
	}
	// Pages that were visited online may be stored, so the other conditions are first.
	for i, p := range pages {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if err := s.setCondition(p.Condition); err != nil {
			return nil, err
		}
		seen[i], pictures[i] = view(p.Path)
	}
	if err := s.setCondition(condition.Online); err != nil {
		return nil, err
	}
	online := map[string]*sightOnline{}
	for i, p := range pages {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		o := online[p.Path]
		if o == nil {
			o = &sightOnline{}
			online[p.Path] = o
			o.Sight, o.picture = view(p.Path)
			o.requests = s.resources(tab)
			again, picture := view(p.Path)
			o.steady = again == o.Sight && alike(picture, o.picture)
		}
		answers[i] = judge(p, seen[i], pictures[i], o)
	}
	return answers, nil
}

// resources returns the URLs that the page of a tab requested, without queries; paths for those of the site. Manifest and icons, which
// the browser itself requests, are left out.
func (s *Site) resources(tab driver.Tab) (list []string) {
	const names = `(() => {
		const own = new Set([...document.querySelectorAll('link[rel~=manifest], link[rel~=icon], link[rel~=apple-touch-icon]')].map((e) => e.href));
		return JSON.stringify(performance.getEntriesByType('resource').filter((e) => e.initiatorType !== 'other' && !own.has(e.name)).map((e) => e.name));
	})()`
	text, err := tab.Evaluate("Promise.resolve(" + names + ")")
	var urls []string
	if err != nil || json.Unmarshal([]byte(text), &urls) != nil {
		return nil
	}
	for _, u := range urls {
		u = weburl.Local(weburl.WithoutQuery(u), s.Server.Origin())
		if !slices.Contains(list, u) && !strings.HasPrefix(u, "data:") && !strings.HasPrefix(u, "blob:") {
			list = append(list, u)
		}
	}
	slices.Sort(list)
	return list
}

// judge compares a page under a condition with the same page online.
func judge(p Unknown, seen Sight, picture image.Image, online *sightOnline) Answer {
	out := Answer{Unknown: p, Title: seen.Title, Requests: online.requests}
	switch {
	case !online.Shows:
		out.Unclear = "the browser shows no page online either"
	case !seen.Shows && p.Condition.Stalls:
		out.Outcome = rehearsal.Stuck
	case !seen.Shows:
		out.Outcome = rehearsal.Lost
	case !online.steady:
		out.Unclear = "the page shows something else each time it is opened"
	case seen != online.Sight:
		out.Outcome = rehearsal.Partial
	case !alike(picture, online.picture):
		out.Unclear = "the text is the same as online, but the picture is not"
	default:
		out.Outcome = rehearsal.Whole
	}
	return out
}

// alike reports whether two pictures differ in less than one of 500 pixels.
func alike(a, b image.Image) bool {
	if a == nil || b == nil || a.Bounds() != b.Bounds() {
		return false
	}
	differing := 0
	r := a.Bounds()
	for y := r.Min.Y; y < r.Max.Y; y++ {
		for x := r.Min.X; x < r.Max.X; x++ {
			r1, g1, b1, _ := a.At(x, y).RGBA()
			r2, g2, b2, _ := b.At(x, y).RGBA()
			if far(r1, r2) || far(g1, g2) || far(b1, b2) {
				differing++
			}
		}
	}
	return differing*500 < r.Dx()*r.Dy()
}

func far(a, b uint32) bool { return max(a, b)-min(a, b) > 0x1000 }

// RecordName is the file name of the record of confirmations, next to the project file.
const RecordName = "tachyform.confirmed.json"

// mostRecord is the size of the largest record that is read, in bytes.
const mostRecord = 4 << 20

// record is the content of the file.
type record struct {
	Schema string               `json:"schema"`
	Pages  []audit.Confirmation `json:"pages"`
}

const recordSchema = "tachyform.confirmed/1"

// ReadRecord reads the confirmations in a file, none if it does not exist.
func ReadRecord(file string) ([]audit.Confirmation, error) {
	text, err := inputfile.Read(file, mostRecord)
	if os.IsNotExist(err) {
		return nil, nil
	}
	var r record
	if err == nil {
		err = json.Unmarshal(text, &r)
	}
	if err == nil && r.Schema != recordSchema {
		err = fmt.Errorf("its schema is %q, not %q", r.Schema, recordSchema)
	}
	for _, p := range r.Pages {
		if _, known := condition.Named(p.Condition); err == nil && (!known || !slices.Contains(outcomes, p.Outcome)) {
			err = fmt.Errorf("page %q: unknown condition %q or outcome %q", p.Page, p.Condition, p.Outcome)
		}
	}
	if err != nil {
		return nil, &problem.Problem{Kind: problem.Read, Where: file, What: "the record of confirmed pages cannot be read: " + err.Error(),
			Mend: "delete it and run tachyform audit --confirm chromium again, or use --ignore-confirmed", Cause: err}
	}
	return r.Pages, nil
}

// outcomes are those that a record may have.
var outcomes = []rehearsal.Outcome{rehearsal.Whole, rehearsal.Partial, rehearsal.Lost, rehearsal.Stuck}

// RecordText returns the content of a record: the confirmations in list, and the earlier ones of the same bytes for other pages.
func RecordText(list, earlier []audit.Confirmation) ([]byte, error) {
	for _, e := range earlier {
		same := func(c audit.Confirmation) bool { return c.Page == e.Page && c.Condition == e.Condition }
		if len(list) > 0 && e.Bytes == list[0].Bytes && !slices.ContainsFunc(list, same) {
			list = append(list, e)
		}
	}
	text, err := json.MarshalIndent(record{recordSchema, list}, "", "  ")
	return append(text, '\n'), err
}

// Confirmations converts answers to confirmations with today's date. Unclear answers are left out.
func Confirmations(answers []Answer, browser, checksum string, today time.Time) (list []audit.Confirmation) {
	for _, a := range answers {
		if a.Unclear == "" {
			list = append(list, audit.Confirmation{Page: a.Path, Condition: a.Condition.Name, Outcome: a.Outcome, Title: a.Title, Browser: browser,
				Date: today.Format(time.DateOnly), Bytes: checksum})
		}
	}
	return list
}

// Checksum returns a checksum of all that decides what a browser shows of a site: the files of the site and of its other origins, and
// how their hosts answer.
func Checksum(p *project.Project, hosts []site.Host) (string, error) {
	h := sha256.New()
	settings, err := json.Marshal([]any{p.Addr, p.Host, p.Others, p.Audit.Visit})
	if err != nil {
		return "", err
	}
	h.Write(settings)
	for _, host := range hosts {
		f, is := host.(*site.Folder)
		if !is {
			continue
		}
		fmt.Fprintf(h, "\n%s\n", f.Origin())
		for _, file := range f.Files() {
			text, err := file.Bytes()
			if err != nil {
				return "", err
			}
			fmt.Fprintf(h, "%s %x\n", file.Path, sha256.Sum256(text))
		}
	}
	return "sha256-" + hex.EncodeToString(h.Sum(nil)), nil
}
