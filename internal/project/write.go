package project

import (
	"fmt"
	"slices"
	"strings"
)

// Draft is what a new project file is made from.
// A field for each answer that init asks for.
type Draft struct {
	Site, Origin, Address          string
	Name, ShortName, Lang, ID      string
	Description, Display, StartURL string
	Orientation                    string
	ThemeColor, BackgroundColor    string
	Master                         string
	// Pages are patterns of pages to keep, Whole says that these are all; KeepWhy is the reason.
	Pages []string
	Whole bool
	// First is what the first page weighs with all it asks for, in bytes.
	First   int64
	Visited []string // what is kept of visited pages where not all are kept: style, script, image, font
	KeepWhy string
	// Shell is the page that draws all others, "" for none.
	Shell string
	// Data are patterns of what scripts fetch, Elsewhere other origins that pages fetch from, Unanswered addresses of the
	// site's own that no file answers.
	Data       []DraftData
	Elsewhere  []DraftOrigin
	Unanswered []string
	// Told are settings of the host that the files tell.
	Told []Told
	// PageStandIn is a page of the site's own, "" to have one made.
	PageStandIn, Takeover            string
	Entry                            string
	OriginGuessed, BackgroundGuessed bool
	// Present is a worker that the site registers by itself, PresentWhy where that stands; Unread tells that the call
	// can't be read, and that Present, if there is one, was found by its text.
	Present, PresentWhy string
	// Unregistered is where a script has the words of a registration that no visit has made, "" for nowhere.
	Unregistered string
	Unread       bool
}

// DraftData is a pattern of what scripts fetch. Seldom says that it is too heavy to be fetched at installation; AtMost is
// how many answers are kept.
type DraftData struct {
	Match  string
	AtMost int
	Seldom bool
}

// DraftOrigin is another origin that pages fetch from; Opaque says that some of its answers may not be seen into.
type DraftOrigin struct {
	Origin string
	Opaque bool
}

// Told is a setting of the host, by its key in the project file, with the reason in words.
type Told struct{ Key, Value, Why string }

// Live says whether the site is a server's rather than a folder.
func (d Draft) Live() bool {
	return strings.HasPrefix(d.Site, "http://") || strings.HasPrefix(d.Site, "https://")
}

// yamlText writes a text as a YAML scalar, quoted where it has to be.
func yamlText(s string) string {
	plain := s != "" && !strings.ContainsAny(s, "#:{}[],&*!|>'\"%@`\\") && !strings.ContainsFunc(s, unprintable) &&
		s == strings.TrimSpace(s) && !strings.HasPrefix(s, "-") && !strings.HasPrefix(s, "?")
	switch strings.ToLower(s) {
	case "true", "false", "yes", "no", "null", "~", "on", "off", "y", "n":
		plain = false
	}
	if plain && (s[0] < '0' || s[0] > '9') && s[0] != '.' && s[0] != '+' {
		return s
	}
	var b strings.Builder
	b.WriteByte('"')
	for _, r := range s {
		switch {
		case r == '\\' || r == '"':
			b.WriteByte('\\')
			b.WriteRune(r)
		case unprintable(r):
			fmt.Fprintf(&b, `\u%04x`, r)
		default:
			b.WriteRune(r)
		}
	}
	b.WriteByte('"')
	return b.String()
}

// unprintable says whether a character is a control, or one at which YAML breaks lines.
func unprintable(r rune) bool {
	return r < 0x20 || r >= 0x7f && r < 0xa0 || r == 0x2028 || r == 0x2029 || r == 0xfeff
}

// Text writes the draft as a commented project file.
func (d Draft) Text() []byte {
	var b strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	member := func(key, value, comment string) {
		if value == "" {
			return
		}
		text := fmt.Sprintf("  %s: %s", key, yamlText(value))
		if comment != "" {
			text = fmt.Sprintf("%-44s # %s", text, comment)
		}
		line("%s", text)
	}
	line("# What Tachyform makes of this site. Run `tachyform fit` after each build.")
	line("# Every key: tachyform schema")
	line("")
	what := "the folder as it is deployed"
	if d.Live() {
		what = "where a server makes it"
	}
	line("site: %-30s # %s", yamlText(d.Site), what)
	if d.OriginGuessed {
		line("# origin: https://skerry-line.example  # where the site lives; name it before you audit for release")
	} else {
		line("origin: %s", yamlText(d.Origin))
	}
	if d.Address != "/" && d.Address != "" {
		d.comment(line, "", "address")
		line("address: %s", yamlText(d.Address))
	}
	line("")
	line("app:                                 # members of the web app manifest")
	member("name", d.Name, "")
	member("short_name", d.ShortName, "under the icon; about 12 letters fit")
	if d.Lang != "" {
		member("lang", d.Lang, "")
	}
	member("description", d.Description, "")
	member("id", orText(d.ID, orText(d.StartURL, d.Entry)), "the app is known by it; never change it")
	member("start_url", orText(d.StartURL, d.Entry), "")
	member("display", orText(d.Display, "standalone"),
		map[bool]string{true: "a window of its own"}[orText(d.Display, "standalone") == "standalone"])
	member("orientation", d.Orientation, "")
	member("theme_color", d.ThemeColor, "the bar around the page")
	comment := "behind the icon while the app starts"
	if d.BackgroundGuessed {
		comment = "while the app starts; best the page's own"
	}
	member("background_color", d.BackgroundColor, comment)
	line("")
	if d.Master == "" {
		line("# icons:")
		line("#   master: brand/mark.svg           # SVG, or PNG, JPEG, WebP of at least 512 px")
	} else {
		line("icons:")
		member("master", d.Master, "SVG, or PNG, JPEG, WebP from 512 px")
		if d.ThemeColor != "" {
			member("backdrop", d.ThemeColor, "behind icons that may not be transparent")
		}
	}
	line("")
	if d.PresentWhy != "" {
		d.present(line)
		return []byte(b.String())
	}
	d.worker(line)
	d.hosting(line)
	line("")
	line("audit:")
	line("  fail_on: risk")
	return []byte(b.String())
}

// worker writes what is kept and how requests are answered.
func (d Draft) worker(line func(format string, args ...any)) {
	address := orText(d.Address, "/")
	line("worker:")
	line("  pack:                              # kept when the worker is installed")
	wrapped(line, "    ", d.KeepWhy)
	line("    pages:                           # with everything they ask for")
	for _, p := range d.Pages {
		line("      - %s", yamlText(p))
	}
	budget, why := d.budget()
	text := fmt.Sprintf("    budget: %s", budget)
	if why != "" {
		text = fmt.Sprintf("%-36s # %s", text, why)
	}
	line("%s", text)
	if !d.Whole && slices.Contains(d.Pages, orText(d.Address, "/")+"*") {
		line("    over_budget: leave-out          # pages many links away are kept once they are visited")
	}
	if d.Shell != "" {
		line("  shell:                             # one page draws all that have no file")
		line("    page: %s", yamlText(d.Shell))
	}
	line("  rules:                             # for all else, the first that matches decides")
	for i, data := range d.Data {
		if i == 0 {
			wrapped(line, "    ", "data: fresh while there is a network, else the copy that was kept last")
		}
		line("    - match: %s", yamlText(data.Match))
		line("      answer: network-first")
		line("      patience: 3s")
		if !data.Seldom {
			line("      at_install: all                # so that one visit is enough")
		}
		line("      keep: {at_most: %d}", data.AtMost)
	}
	for i, o := range d.Elsewhere {
		if i == 0 {
			wrapped(line, "    ", "other origins: the kept copy at once, a fresh one for the next time")
		}
		line("    - match: %s", yamlText(o.Origin+"/*"))
		line("      answer: stale-while-revalidate")
		line("      at_install: yes")
		if o.Opaque {
			line("      opaque: yes                    # answers that the worker may not see into")
		}
		line("      keep: {at_most: 60}")
	}
	if d.Shell != "" {
		line("    - match: %-23s # what looks like a file, which the shell leaves alone", yamlText(address+"*.*"))
		line("      destination: document")
	} else {
		line("    - match: %s", yamlText(address+"*"))
		line("      destination: document          # pages that are not in the pack")
	}
	line("      answer: network-first          # kept as they are visited")
	line("      patience: 3s                   # then the kept copy, or the stand-in")
	most := 50
	if !d.Whole {
		most = 200
	}
	line("      keep: {at_most: %-14s # what was kept longest ago goes first", fmt.Sprintf("%d}", most))
	if !d.Whole && len(d.Visited) > 0 {
		wrapped(line, "    ", "what those pages ask for: the kept copy at once, a fresh one for the next time")
		for _, destination := range d.Visited {
			line("    - {match: %s, destination: %s, answer: stale-while-revalidate, keep: {at_most: 100}}",
				yamlText(address+"*"), destination)
		}
	}
	line("  stand_ins:")
	if d.PageStandIn != "" {
		line("    page: %-28s # shown when a page cannot be had", yamlText(d.PageStandIn))
	} else {
		line("    page: make                       # shown when a page cannot be had; fit makes it")
	}
	comment := map[string]string{"when-closed": "a new release waits until all pages are closed",
		"at-once": "a new release takes over, and open pages load again"}[d.Takeover]
	line("  takeover: %-24s # %s", orText(d.Takeover, "ask"), orText(comment, "a new release waits until its visitor agrees"))
}

// usualBudget is what a pack may weigh where the site does not need more, in bytes.
const usualBudget = 5_000_000

// HeaviestStart is the most that a start page with its scripts, styles and fonts may weigh beyond what the project file allows, and the most
// that is proposed for a pack, in bytes: visitors fetch all of it in the background at their first visit.
const HeaviestStart = 25_000_000

// budget proposes what the pack may weigh, with the reason where that is not the usual: a start page that is heavier, and a tenth of
// it as room to grow.
func (d Draft) budget() (budget Size, why string) {
	if d.First*11/10 <= usualBudget {
		return usualBudget, ""
	}
	mega := (d.First*11/10 + 999_999) / 1_000_000 * 1_000_000
	return Size(min(mega, HeaviestStart)), "the first page alone weighs " + Size(d.First).String()
}

// hosting writes how the host answers, as far as the files tell, and what a server behind it would have to.
func (d Draft) hosting(line func(format string, args ...any)) {
	begun := false
	begin := func() {
		if !begun {
			begun = true
			line("")
			line("hosting:                             # how the host answers; correct it where it does not")
		}
	}
	for _, t := range d.Told {
		if key, is := strings.CutPrefix(t.Key, "hosting."); is {
			begin()
			d.comment(line, "  ", t.Key)
			line("  %s: %s", key, yamlText(t.Value))
		}
	}
	if len(d.Unanswered) == 0 {
		return
	}
	if !begun {
		line("")
		line("# hosting:")
	}
	line("  # Scripts ask for what no file answers. Say what the server behind the site gives,")
	line("  # or name one that runs on this machine; without it those pages are not known.")
	line("  # backend: http://localhost:3000")
	line("  # answers:")
	for _, path := range d.Unanswered {
		line("  #   - {match: %s, file: answers/sample.json}", yamlText(path))
	}
}

// comment writes why a setting of the host is as it is.
func (d Draft) comment(line func(format string, args ...any), indent, key string) {
	for _, t := range d.Told {
		if t.Key == key {
			wrapped(line, indent, t.Why)
		}
	}
}

// wrapped writes a comment on lines of their own, none of them long.
func wrapped(line func(format string, args ...any), indent, text string) {
	const most = 84
	row := ""
	for _, word := range strings.Fields(text) {
		if row != "" && len(indent)+3+len(row)+len(word) > most {
			line("%s# %s", indent, row)
			row = ""
		}
		if row != "" {
			row += " "
		}
		row += word
	}
	if row != "" {
		line("%s# %s", indent, row)
	}
}

// present writes the part of a site that has a worker of its own.
func (d Draft) present(line func(format string, args ...any)) {
	line("worker:")
	line("  # The site registers a worker of its own at %s.", d.PresentWhy)
	if d.Unread {
		line("  # Which one cannot be read there; check the file below.")
	}
	line("  # It is what rehearse and audit try, and fit writes none beside it: two would take")
	line("  # turns in replacing each other. To have fit put one in its place, write")
	line("  # replace: yes under present: and describe pack and rules as well.")
	line("  present:")
	line("    file: %s", yamlText(d.Present))
	d.hosting(line)
	line("")
	line("audit:")
	line("  fail_on: risk")
}

func orText(s, otherwise string) string {
	if s == "" {
		return otherwise
	}
	return s
}
