// Package recorded reads sites whose behaviour in a real browser was recorded, for tests; the format is described
// beside that data.
package recorded

import (
	"encoding/json"
	"os"
	"path/filepath"
	"sort"
	"strings"

	"tachyform/internal/project"
	"tachyform/internal/site"
)

// Case is one recorded site and how its host behaves.
type Case struct {
	Base    string            `json:"base"`
	Entry   string            `json:"entry"`
	Visit   []string          `json:"visit"`
	Pages   []string          `json:"pages"`
	Other   map[string]string `json:"other"`
	Hosting hostingHabits     `json:"hosting"`
	// Next is the site's host with the next release, nil when there is none.
	Next site.Host `json:"-"`

	origin, other string
}

type hostingHabits struct {
	Headers   map[string]map[string]*string `json:"headers"`
	Redirects []struct {
		From, To     string
		Status       int
		UnlessCookie string
	} `json:"redirects"`
	Status       map[string]int                `json:"status"`
	SPA          string                        `json:"spa"`
	NotFound     string                        `json:"notFound"`
	Clean        bool                          `json:"clean"`
	Mime         map[string]string             `json:"mime"`
	OtherHeaders map[string]map[string]*string `json:"otherHeaders"`
	OtherStatus  map[string]int                `json:"otherStatus"`
	// Next replaces members while the next release is deployed.
	Next json.RawMessage `json:"next"`
}

// Origin and Other are the origins under which a case's folders answer.
const Origin, Other = "http://origin", "http://other"

func (c Case) rules(headers map[string]map[string]*string, status map[string]int) (h project.Hosting) {
	var paths []string
	for path := range headers {
		paths = append(paths, path)
	}
	sort.Strings(paths)
	for _, path := range paths {
		set := map[string]*string{}
		for k, v := range headers[path] {
			if v != nil {
				s := c.fill(*v)
				v = &s
			}
			set[k] = v
		}
		h.Headers = append(h.Headers, project.HeaderRule{Match: path, Set: set})
	}
	for path, s := range status {
		h.Statuses = append(h.Statuses, project.StatusRule{Match: path, Status: s})
	}
	return h
}

// fill replaces the placeholders for origins.
func (c Case) fill(s string) string {
	return strings.NewReplacer("__ORIGIN__", c.origin, "__OTHER__", c.other).Replace(s)
}

// Hosts says how the case's own host answers.
func (c Case) Hosts() project.Hosting {
	h := c.rules(c.Hosting.Headers, c.Hosting.Status)
	for _, r := range c.Hosting.Redirects {
		status := r.Status
		if status == 0 {
			status = 302
		}
		h.Redirects = append(h.Redirects, project.Redirect{Match: r.From, To: c.fill(r.To), Status: status,
			UnlessCookie: r.UnlessCookie})
	}
	rooted := func(file string) string {
		if file == "" || strings.HasPrefix(file, "/") {
			return file
		}
		return c.Base + file
	}
	h.Index, h.Slash, h.Extensionless = []string{"index.html"}, "add", "none"
	if c.Hosting.Clean {
		h.Extensionless = "answer"
	}
	h.SinglePage, h.NotFound, h.MediaTypes = rooted(c.Hosting.SPA), rooted(c.Hosting.NotFound), c.Hosting.Mime
	return h
}

// openFolder gives the folder of a case with its placeholders filled in.
func (c Case) openFolder(dir, origin, address string, h project.Hosting) (*site.Folder, error) {
	f, err := site.OpenFolder(dir, origin, address, h)
	if err != nil {
		return nil, err
	}
	changes := map[string][]byte{}
	for _, file := range f.Files() {
		switch filepath.Ext(file.Path) {
		case ".html", ".js", ".mjs", ".css", ".json", ".webmanifest", ".svg", ".txt", ".xml":
			text, err := file.Bytes()
			if err != nil {
				return nil, err
			}
			if filled := c.fill(string(text)); filled != string(text) {
				changes[file.Path] = []byte(filled)
			}
		}
	}
	return f.With(changes), nil
}

// Load reads the case in a folder and what the browser did with it, which goes into expected, and opens its hosts.
func Load(folder string, expected any) (*Case, []site.Host, error) {
	return LoadAt(folder, Origin, Other, expected)
}

// LoadAt is Load with other origins for the folders of the case.
func LoadAt(folder, origin, other string, expected any) (*Case, []site.Host, error) {
	c := &Case{origin: origin, other: other}
	for name, v := range map[string]any{"case.json": c, "expected.json": expected} {
		text, err := os.ReadFile(filepath.Join(folder, name))
		if err != nil {
			return nil, nil, err
		}
		if err := json.Unmarshal(text, v); err != nil {
			return nil, nil, err
		}
	}
	if len(c.Visit) == 0 {
		c.Visit = []string{c.Entry}
	}
	if c.Base == "" {
		c.Base = "/"
	}
	main, err := c.openFolder(filepath.Join(folder, "site"), origin, c.Base, c.Hosts())
	if err != nil {
		return nil, nil, err
	}
	hosts := []site.Host{main}
	if next := filepath.Join(folder, "next"); exists(next) {
		later := *c
		if len(c.Hosting.Next) > 0 {
			if err := json.Unmarshal(c.Hosting.Next, &later.Hosting); err != nil {
				return nil, nil, err
			}
		}
		if c.Next, err = c.openFolder(next, origin, c.Base, later.Hosts()); err != nil {
			return nil, nil, err
		}
	}
	if d := c.Other["dir"]; d != "" {
		other, err := c.openFolder(filepath.Join(folder, d), other, "/",
			c.rules(c.Hosting.OtherHeaders, c.Hosting.OtherStatus))
		if err != nil {
			return nil, nil, err
		}
		hosts = append(hosts, other)
	}
	return c, hosts, nil
}

func exists(path string) bool {
	_, err := os.Stat(path)
	return err == nil
}
