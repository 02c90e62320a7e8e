package fetch

import (
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"strings"

	"tachyform/internal/site"
)

// IntegrityHolds is "do bytes match metadataList" (Subresource Integrity, 3.3.5): of the hashes those of the strongest algorithm count.
func IntegrityHolds(metadata string, body site.Body) bool {
	var content []byte
	if body != nil {
		var err error
		if content, err = body.Bytes(); err != nil {
			return false
		}
	}
	algorithm, hashes := strongest(metadata)
	var sum []byte
	switch algorithm {
	case "":
		return true
	case "sha256":
		s := sha256.Sum256(content)
		sum = s[:]
	case "sha384":
		s := sha512.Sum384(content)
		sum = s[:]
	case "sha512":
		s := sha512.Sum512(content)
		sum = s[:]
	}
	for _, want := range hashes {
		if base64.StdEncoding.EncodeToString(sum) == strings.NewReplacer("-", "+", "_", "/").Replace(want) {
			return true
		}
	}
	return false
}

// strongest gives the hashes of the strongest algorithm in integrity metadata ("get the strongest metadata from set", 3.3.4), "" where none is known.
func strongest(metadata string) (algorithm string, hashes []string) {
	for _, item := range strings.Fields(metadata) {
		name, want, _ := strings.Cut(item, "-")
		want, _, _ = strings.Cut(want, "?")
		name = strings.ToLower(name)
		switch {
		case name != "sha256" && name != "sha384" && name != "sha512":
		case name == algorithm:
			hashes = append(hashes, want)
		case name > algorithm: // their names are in the order of their strength
			algorithm, hashes = name, []string{want}
		}
	}
	return algorithm, hashes
}
