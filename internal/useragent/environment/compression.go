package environment

import (
	"bytes"
	"compress/flate"
	"compress/gzip"
	"compress/zlib"
	"fmt"
	"io"
)

// compressionOperations are of the Compression Standard.
var compressionOperations = operations{
	"compress":   plain(func(_ *Realm, args arguments) (any, error) { return compressed(args.bytes(1), args.text(0)) }),
	"decompress": plain(func(_ *Realm, args arguments) (any, error) { return decompressed(args.bytes(1), args.text(0)) }),
}

// maxInflated bounds what decompressing may give, in bytes.
const maxInflated = 256 << 20

func compressed(data []byte, format string) ([]byte, error) {
	var out bytes.Buffer
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
		return nil, err
	}
	err := w.Close()
	return out.Bytes(), err
}

func decompressed(data []byte, format string) ([]byte, error) {
	in := bytes.NewReader(data)
	var out bytes.Buffer
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
		return nil, fmt.Errorf("the data cannot be decompressed: %w", err)
	}
	if in.Len() > 0 {
		return nil, fmt.Errorf("there is more after the end of the compressed data")
	}
	return out.Bytes(), nil
}
