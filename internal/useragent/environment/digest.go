package environment

import (
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha512"
	"fmt"
	"strings"
)

// digestOperations are of Web Cryptography, 14.3.5.
var digestOperations = operations{
	"digest": plain(func(r *Realm, args arguments) (any, error) {
		data := args.bytes(1)
		if r.p.StandsFor != nil {
			if sum, known := r.p.StandsFor(data); known && strings.EqualFold(args.text(0), "SHA-256") {
				return sum, nil
			}
		}
		switch algorithm := args.text(0); strings.ToUpper(algorithm) {
		case "SHA-1":
			sum := sha1.Sum(data)
			return sum[:], nil
		case "SHA-256":
			sum := sha256.Sum256(data)
			return sum[:], nil
		case "SHA-384":
			sum := sha512.Sum384(data)
			return sum[:], nil
		case "SHA-512":
			sum := sha512.Sum512(data)
			return sum[:], nil
		default:
			return nil, fmt.Errorf("NotSupportedError: %s is no digest algorithm", algorithm)
		}
	}),
}
