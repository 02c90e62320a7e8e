package useragent

import (
	"context"
	"net/http"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"

	"tachyform/internal/site"
	"tachyform/internal/useragent/document"
)

// formHost answers with a page of its markup, and tells in the title of another what was sent to that.
type formHost struct{ markup string }

func (formHost) Origin() string { return "https://line.example" }

var boundary = regexp.MustCompile(`----tachyform\d+`)

func (h formHost) Answer(_ context.Context, r *site.Request) (*site.Response, error) {
	text := h.markup
	if r.URL.Pathname() != "/" {
		sent := ""
		if r.Body != nil {
			data, err := r.Body.Bytes()
			if err != nil {
				return nil, err
			}
			sent = " " + r.Header.Get("Content-Type") + " " + string(data)
		}
		text = "<title>" + r.Method + " " + r.URL.Href(true)[len("https://line.example"):] + boundary.ReplaceAllString(sent, "B") + "</title><script></script>"
	}
	return &site.Response{Status: 200, StatusText: "OK", Header: http.Header{"Content-Type": {"text/html;charset=utf-8"}},
		Body: site.Bytes(text)}, nil
}

// What forms send arrives, however they are sent and whatever their buttons say otherwise.
func TestForms(t *testing.T) {
	const send = "<script>document.forms[0].requestSubmit(document.querySelector('button'))</script>"
	for name, c := range map[string]struct{ markup, want string }{
		"by address":         {`<form action=/to><input name=a value="é &"></form>`, "GET /to?a=%C3%A9+%26"},
		"by content":         {`<form method=post action=/to?q><input name=a value="é &"></form>`, "POST /to?q application/x-www-form-urlencoded a=%C3%A9+%26"},
		"in parts":           {`<form method=post enctype=multipart/form-data action=/to><input name=a value=b></form>`, "POST /to multipart/form-data; boundary=B --B Content-Disposition: form-data; name=\"a\" b --B--"},
		"as text":            {`<form method=post enctype=text/plain action=/to><input name=a value="b c"><input name=d value=e></form>`, "POST /to text/plain a=b c d=e"},
		"as the button says": {`<form action=/never><input name=a value=b><button name=c value=d formmethod=post formaction=/to formenctype=text/plain></form>`, "POST /to text/plain a=b c=d"},
		"nothing":            {`<form method=post action=/to></form>`, "POST /to application/x-www-form-urlencoded"},
	} {
		t.Run(name, func(t *testing.T) {
			b := New(t.Context(), []site.Host{formHost{c.markup + send}}, Options{})
			defer b.Close()
			tab := b.Open(home, nil)
			b.Settle()
			tab.Take()
			assert.Equal(t, c.want, tab.Title)
		})
	}
	b := New(t.Context(), []site.Host{formHost{`<form method=post action=/to><input name=a><button>send</button></form><script></script>`}}, Options{})
	defer b.Close()
	tab := b.Open(home, nil)
	for _, a := range []document.Action{{Kind: document.Type, On: "input", Text: "fog"}, {Kind: document.Click, On: "send"}} {
		assert.Empty(t, b.Act(tab, a))
	}
	assert.Equal(t, "POST /to application/x-www-form-urlencoded a=fog", tab.Title, "by a person")
}
