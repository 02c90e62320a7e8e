package rehearsal

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"tachyform/internal/site"
	"tachyform/internal/useragent/fetch"
)

// Answers are the same by their bytes, whatever holds these.
func TestSameAnswer(t *testing.T) {
	answer := func(status int, kind string, body site.Body) *fetch.Response {
		return &fetch.Response{Status: status, Header: [][2]string{{"content-type", kind}}, Body: body}
	}
	one := answer(200, "text/css", site.Bytes("p{}"))
	for name, c := range map[string]struct {
		other *fetch.Response
		want  bool
	}{
		"the same bytes":       {answer(200, "text/css", site.Bytes("p{}")), true},
		"other bytes":          {answer(200, "text/css", site.Bytes("q{}")), false},
		"another type":         {answer(200, "text/html", site.Bytes("p{}")), false},
		"another status":       {answer(203, "text/css", site.Bytes("p{}")), false},
		"none":                 {nil, false},
		"one that is not seen": {&fetch.Response{Status: 200, Unknown: true}, false},
	} {
		assert.Equal(t, c.want, sameAnswer(one, c.other), name)
	}
	file := &site.File{}
	assert.True(t, sameFile(file, file))
	assert.False(t, sameFile(file, &site.File{}))
	assert.False(t, areFolders([]site.Host{&site.Folder{}, site.NewLive("http://127.0.0.1:1", 0)}))
}
