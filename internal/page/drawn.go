package page

import (
	"bytes"
	"unicode"

	"golang.org/x/net/html"
)

// wordsOfPage is how many letters of text make a page that says something by itself.
const wordsOfPage = 20

// Drawn says whether the page shows next to nothing before its scripts have run: hardly a word, no picture and no field, but scripts.
func (d *Document) Drawn() bool {
	z := html.NewTokenizer(bytes.NewReader(d.text))
	letters, scripts, skip, body := 0, false, "", false
	for {
		switch z.Next() {
		case html.ErrorToken:
			return scripts
		case html.TextToken:
			if skip != "" || !body {
				continue
			}
			for _, c := range string(z.Text()) {
				if unicode.IsLetter(c) {
					if letters++; letters >= wordsOfPage {
						return false
					}
				}
			}
		case html.StartTagToken, html.SelfClosingTagToken:
			name, _ := z.TagName()
			switch string(name) {
			case "body":
				body = true
			case "script":
				scripts, skip = true, "script"
			case "style", "title", "noscript", "template":
				skip = string(name)
			case "a", "button", "table", "img", "video", "audio", "canvas", "svg", "iframe", "input", "textarea", "select", "object", "embed", "picture":
				if skip == "" {
					return false
				}
			case "div", "main", "p", "section", "header":
				body = true // a page may leave the body's tag away
			}
		case html.EndTagToken:
			if name, _ := z.TagName(); string(name) == skip {
				skip = ""
			}
		}
	}
}
