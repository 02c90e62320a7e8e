package page

import (
	"unicode"

	"tachyform/internal/markup"
)

// wordsOfPage is how many letters of text make a page that says something by itself.
const wordsOfPage = 20

// Drawn says whether the page shows next to nothing before its scripts have run: hardly a word, no picture and no
// field, but scripts.
func (d *Document) Drawn() bool {
	letters, scripts, skip, body := 0, false, "", false
	for token := range markup.Tokens(d.text) {
		switch token.Kind {
		case markup.Text:
			if skip != "" || !body {
				continue
			}
			for _, c := range string(token.Text()) {
				if unicode.IsLetter(c) {
					if letters++; letters >= wordsOfPage {
						return false
					}
				}
			}
		case markup.StartTag, markup.SelfClosingTag:
			switch token.Name {
			case "body":
				body = true
			case "script":
				scripts, skip = true, "script"
			case "style", "title", "noscript", "template":
				skip = token.Name
			case "a", "button", "table", "img", "video", "audio", "canvas", "svg", "iframe", "input", "textarea", "select",
				"object", "embed", "picture":
				if skip == "" {
					return false
				}
			case "div", "main", "p", "section", "header":
				body = true // a page may leave the body's tag away
			}
		case markup.EndTag:
			if token.Name == skip {
				skip = ""
			}
		}
	}
	return scripts
}
