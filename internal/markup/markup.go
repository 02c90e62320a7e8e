// Package markup is the one reader of HTML: as tokens with their places in the text, and as a tree.
package markup

import (
	"bytes"
	"iter"

	"golang.org/x/net/html"
)

// Kind is the kind of a token.
type Kind uint8

const (
	Text Kind = iota
	StartTag
	SelfClosingTag
	EndTag
	Comment
	Doctype
	// Unfinished is what the text breaks off in: a tag or a comment that is never closed. It is the last token.
	Unfinished
)

// Token is a token of a text (HTML, 13.2.5). It is good until the next one is asked for.
type Token struct {
	Kind Kind
	// Name is the name of a tag in lower case.
	Name string
	// Start and End are offsets in the text, in bytes.
	Start, End int

	z    *html.Tokenizer
	more bool // there are attributes to be read
	attr map[string]string
	raw  []byte
}

// Opens says whether the token begins an element.
func (t *Token) Opens() bool { return t.Kind == StartTag || t.Kind == SelfClosingTag }

// Attributes gives a tag's attributes by their names in lower case, nil when it has none; of one that stands twice the
// first counts.
func (t *Token) Attributes() map[string]string {
	for t.more {
		var name, value []byte
		name, value, t.more = t.z.TagAttr()
		if t.attr == nil {
			t.attr = map[string]string{}
		}
		if _, twice := t.attr[string(name)]; !twice {
			t.attr[string(name)] = string(value)
		}
	}
	return t.attr
}

// Raw is the token as it is written.
func (t *Token) Raw() []byte { return t.raw }

// Text is the text of a Text token with its character references resolved.
func (t *Token) Text() []byte { return t.z.Text() }

var kinds = map[html.TokenType]Kind{
	html.TextToken: Text, html.StartTagToken: StartTag, html.SelfClosingTagToken: SelfClosingTag, html.EndTagToken: EndTag,
	html.CommentToken: Comment, html.DoctypeToken: Doctype,
}

// Tokens gives the tokens of a text in order.
func Tokens(text []byte) iter.Seq[*Token] {
	return func(yield func(*Token) bool) {
		z := html.NewTokenizer(bytes.NewReader(text))
		for at := 0; ; {
			kind := z.Next()
			if kind == html.ErrorToken {
				if at < len(text) {
					yield(&Token{Kind: Unfinished, Start: at, End: len(text), raw: text[at:]})
				}
				return
			}
			t := &Token{Kind: kinds[kind], Start: at, z: z, raw: z.Raw()}
			at += len(t.raw)
			t.End = at
			if t.Kind == StartTag || t.Kind == SelfClosingTag || t.Kind == EndTag {
				var name []byte
				name, t.more = z.TagName()
				t.Name = string(name)
			}
			if !yield(t) {
				return
			}
		}
	}
}

// Tree reads a document into a tree (HTML, 13.2.6); nil for a text that is nested too deep to be read.
func Tree(text []byte) *html.Node {
	root, err := html.Parse(bytes.NewReader(text))
	if err != nil {
		return nil
	}
	return root
}
