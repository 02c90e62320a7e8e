package document

import (
	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/useragent/fetch"
)

// accepts are the Accept headers that Chromium sends, by destination; others get */*.
var accepts = map[request.Destination]string{
	request.Image: "image/jxl,image/avif,image/webp,image/apng,image/svg+xml,image/*,*/*;q=0.8",
	request.Style: "text/css,*/*;q=0.1",
}

// createRequest is the request by which a page asks for something (HTML and Fetch, as their elements have it).
func (c *window) createRequest(ref page.Reference) *fetch.Request {
	req := &fetch.Request{URL: ref.URL, Method: "GET", Cache: c.by.cache, Mode: ref.Mode, Credentials: ref.Credentials,
		Redirect: "follow", Destination: ref.Destination, Referrer: c.URL, Nonce: ref.Nonce, ParserInserted: ref.ParserInserted,
		Integrity: ref.Integrity}
	accept := accepts[ref.Destination]
	if accept == "" {
		accept = "*/*"
	}
	req.Header = [][2]string{{"accept", accept}}
	script := ref.Runs && !ref.Module && ref.Destination == request.Data // a fetch() names its page, all else what it stands in
	req.ReferrerPolicy = fetch.ParseReferrerPolicy(ref.ReferrerPolicy)
	if ref.From != "" && !script {
		req.Referrer = ref.From
	}
	if ref.Cache != "" && req.Cache == "" {
		req.Cache = ref.Cache
	}
	if ref.Mode == request.CORS && !script {
		req.Header = append(req.Header, [2]string{"origin", c.origin()})
	}
	if ref.Destination == request.Video || ref.Destination == request.Audio {
		// Players ask for the parts of a film, at first for all from its start.
		req.Header = append(req.Header, [2]string{"range", "bytes=0-"})
	}
	return req
}
