package fetch

// Crossing says how a request comes about, as far as cookies ask (RFC 6265bis, 5.2).
type Crossing struct {
	// Site tells that it comes from another site; navigation that it opens a page by a safe method.
	Site, Navigation bool
}
