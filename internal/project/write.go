package project

import (
	"fmt"
	"strings"
)

// Draft is what a new project file is made from.
// A field for each answer that init asks for.
type Draft struct {
	Site, Origin, Address            string
	Name, ShortName, Lang            string
	Description, Display, StartURL   string
	Orientation                      string
	ThemeColor, BackgroundColor      string
	Master                           string
	Pages                            []string
	KeepWhy                          string
	PageStandIn                      string
	Entry                            string
	OriginGuessed, BackgroundGuessed bool
	// Present is a worker that the site registers by itself, PresentWhy where that stands; Unread tells that the call
	// can't be read, and that Present, if there is one, was found by its text.
	Present, PresentWhy string
	Unread              bool
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
	line("site: %-30s # the folder as it is deployed", yamlText(d.Site))
	if d.OriginGuessed {
		line("# origin: https://skerry-line.example  # where the site lives; name it before you audit for release")
	} else {
		line("origin: %s", yamlText(d.Origin))
	}
	if d.Address != "/" && d.Address != "" {
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
	line("worker:")
	line("  pack:                              # kept when the worker is installed")
	if d.KeepWhy != "" {
		line("    # %s", d.KeepWhy)
	}
	line("    pages:                           # with everything they ask for")
	for _, p := range d.Pages {
		line("      - %s", yamlText(p))
	}
	line("    budget: 5 MB")
	line("  rules:                             # for all else, the first that matches decides")
	line("    - match: \"%s*\"", orText(d.Address, "/"))
	line("      destination: document          # pages that are not in the pack")
	line("      answer: network-first          # kept as they are visited")
	line("      patience: 3s                   # then the kept copy, or the stand-in")
	line("      keep: {at_most: 50}            # what was kept longest ago goes first")
	if d.PageStandIn != "" {
		line("  stand_ins:")
		line("    page: %-28s # shown when a page cannot be had", yamlText(d.PageStandIn))
	} else {
		line("  # stand_ins:")
		line("  #   page: /offline.html            # shown when a page cannot be had")
	}
	line("  takeover: ask                      # a new release waits until its visitor agrees")
	line("")
	line("audit:")
	line("  fail_on: risk")
	return []byte(b.String())
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
	file := d.Present
	if file == "" {
		file = "/its-address.js"
	}
	line("  present:")
	line("    file: %s", yamlText(file))
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
