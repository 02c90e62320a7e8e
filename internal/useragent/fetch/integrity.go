package fetch

import (
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"strings"

	"tachyform/internal/site"
)

// IntegrityHolds checks a body against integrity metadata (Subresource Integrity, 3.3.4).
func IntegrityHolds(metadata string, body site.Body) bool {
	var content []byte
	if body != nil {
		var err error
		if content, err = body.Bytes(); err != nil {
			return false
		}
	}
	known := false
	for _, item := range strings.Fields(metadata) {
		algorithm, want, ok := strings.Cut(item, "-")
		if !ok {
			continue
		}
		want, _, _ = strings.Cut(want, "?")
		var sum []byte
		switch algorithm {
		case "sha256":
			s := sha256.Sum256(content)
			sum = s[:]
		case "sha384":
			s := sha512.Sum384(content)
			sum = s[:]
		case "sha512":
			s := sha512.Sum512(content)
			sum = s[:]
		default:
			continue
		}
		known = true
		if base64.StdEncoding.EncodeToString(sum) == want {
			return true
		}
	}
	return !known
}
