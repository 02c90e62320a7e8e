package fetch

import (
	"encoding/base64"
	"fmt"
	"net/url"
	"strconv"
	"strings"

	"tachyform/internal/site"
)

// blobResponse answers a blob: URL (Fetch, 4.2), all of it or a range, nil for none.
func (f *fetching) blobResponse() *Response {
	if f.Blob == nil || f.req.Method != "GET" || !strings.HasPrefix(f.req.URL, "blob:"+f.req.Client.Origin+"/") {
		return nil
	}
	content, mime, ok := f.Blob(f.at.Href(true))
	if !ok {
		return nil
	}
	size := BodyLen(content)
	resp := &Response{Type: "basic", URLs: f.urls, Status: 200, StatusText: "OK", Body: content, Source: Source{Kind: NetworkSource}}
	if asked := HeaderValue(f.req.Header, "range"); asked != "" {
		from, to, ok := site.SingleRange(asked, size)
		data, err := content.Bytes()
		if !ok || from > to || err != nil {
			return nil
		}
		resp.Status, resp.StatusText, resp.Body = 206, "OK", site.Bytes(data[from:to+1])
		resp.Header = append(resp.Header, [2]string{"content-range", fmt.Sprintf("bytes %d-%d/%d", from, to, size)})
		size = to - from + 1
	}
	resp.Header = append(resp.Header, [2]string{"content-length", strconv.FormatInt(size, 10)})
	if mime != "" {
		resp.Header = append(resp.Header, [2]string{"content-type", mime})
	}
	return resp
}

// dataResponse answers a data: URL (Fetch, 6).
func dataResponse(ref string) *Response {
	head, data, ok := strings.Cut(strings.TrimPrefix(ref, "data:"), ",")
	if !ok {
		return nil
	}
	mime := strings.TrimSpace(head)
	var body []byte
	text, err := url.PathUnescape(data)
	if err != nil {
		text = data
	}
	if m, is := strings.CutSuffix(mime, ";base64"); is {
		mime = m
		body, err = base64.RawStdEncoding.DecodeString(strings.TrimRight(strings.Join(strings.Fields(text), ""), "="))
		if err != nil {
			return nil
		}
	} else {
		body = []byte(text)
	}
	if mime == "" || strings.HasPrefix(mime, ";") {
		mime = "text/plain" + mime
		if mime == "text/plain" {
			mime += ";charset=US-ASCII"
		}
	}
	return &Response{Type: "basic", URLs: []string{ref}, Status: 200, StatusText: "OK",
		Header: [][2]string{{"content-type", mime}}, Body: site.Bytes(body), Source: Source{Kind: NetworkSource}}
}
