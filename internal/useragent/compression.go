package useragent

import (
	"bytes"
	"compress/flate"
	"compress/gzip"
	"compress/zlib"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/unicode"
)

// decodeUTF8 is the Encoding Standard's "UTF-8 decode": a byte order mark goes, and each maximal ill-formed part becomes one U+FFFD.
func decodeUTF8(data []byte) string {
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	if utf8.Valid(data) {
		return string(data)
	}
	text, err := unicode.UTF8.NewDecoder().Bytes(data)
	if err != nil {
		return strings.ToValidUTF8(string(data), "\ufffd")
	}
	return string(text)
}

// maxInflated bounds what decompressing may give.
const maxInflated = 256 << 20

// compression replaces the crossing buffer by its compressed or decompressed content (Compression Standard).
func (r *realm) compression(op, format string) error {
	data := r.TakeBytes()
	var out bytes.Buffer
	if op == "compress" {
		var w io.WriteCloser
		switch format {
		case "gzip":
			w = gzip.NewWriter(&out)
		case "deflate":
			w = zlib.NewWriter(&out)
		default:
			w, _ = flate.NewWriter(&out, flate.DefaultCompression)
		}
		if _, err := w.Write(data); err != nil {
			return err
		}
		if err := w.Close(); err != nil {
			return err
		}
		r.GiveBytes(out.Bytes())
		return nil
	}
	in := bytes.NewReader(data)
	var z io.Reader
	var err error
	switch format {
	case "gzip":
		z, err = gzip.NewReader(in)
	case "deflate":
		z, err = zlib.NewReader(in)
	default:
		z = flate.NewReader(in)
	}
	if err == nil {
		_, err = io.Copy(&out, io.LimitReader(z, maxInflated))
	}
	if err != nil {
		return fmt.Errorf("the data cannot be decompressed: %w", err)
	}
	if in.Len() > 0 {
		return fmt.Errorf("there is more after the end of the compressed data")
	}
	r.GiveBytes(out.Bytes())
	return nil
}
