package environment

import (
	"encoding/base64"
	"errors"
	"strings"
)

// base64Operations are HTML, 8.3: texts whose characters stand for bytes, and their base64.
var base64Operations = operations{
	"btoa": plain(func(_ *Realm, args arguments) (any, error) {
		data := make([]byte, 0, len(args.text(0)))
		for _, r := range args.text(0) {
			if r > 0xff {
				return nil, errors.New("InvalidCharacterError: btoa takes characters below U+0100")
			}
			data = append(data, byte(r))
		}
		return base64.StdEncoding.EncodeToString(data), nil
	}),
	"atob": plain(func(_ *Realm, args arguments) (any, error) {
		data, err := forgivingDecode(args.text(0))
		if err != nil {
			return nil, errors.New("InvalidCharacterError: this is not base64")
		}
		var text strings.Builder
		text.Grow(len(data))
		for _, b := range data {
			text.WriteRune(rune(b))
		}
		return text.String(), nil
	}),
}

// forgivingDecode is Infra's forgiving-base64 decode: white space is ignored, and padding may be missing.
func forgivingDecode(text string) ([]byte, error) {
	text = strings.Map(func(r rune) rune {
		if strings.ContainsRune("\t\n\f\r ", r) {
			return -1
		}
		return r
	}, text)
	if len(text)%4 == 0 {
		text = strings.TrimSuffix(strings.TrimSuffix(text, "="), "=")
	}
	return base64.RawStdEncoding.DecodeString(text)
}
