package environment

import (
	"fmt"
	"strings"

	"golang.org/x/text/transform"

	"tachyform/internal/encoding"
)

// decoding is a text decoder of a script, with what it could not decode yet.
type decoding struct {
	transform.Transformer
	rest []byte
}

// encodingOperations are of TextDecoder, for encodings other than UTF-8 (Encoding, 4.2).
var encodingOperations = operations{
	// The name of an encoding by one of its labels, "" for none.
	"encoding.name": plain(func(_ *Realm, args arguments) (any, error) {
		name, _ := encoding.Name(args.text(0))
		return name, nil
	}),
	// What bytes stand for; the decoder's number is 0 for a new one, and given back unless this is the end.
	"encoding.decode": touching(func(r *Realm, args arguments) (any, error) {
		id, end := args.number(0), args.flag(3)
		d := r.decodings[id]
		if d == nil {
			decoder := encoding.NewDecoder(args.text(1))
			if decoder == nil {
				return nil, fmt.Errorf("no encoding is called %q", args.text(1))
			}
			r.next++
			id, d = r.next, &decoding{Transformer: decoder}
		}
		text := d.decode(args.bytes(2), end)
		if end {
			delete(r.decodings, id)
			id = 0
		} else {
			r.decodings[id] = d
		}
		return toJSON([]any{id, text}), nil
	}),
}

func (d *decoding) decode(data []byte, end bool) string {
	src := append(d.rest, data...)
	var out strings.Builder
	dst := make([]byte, 4096)
	for {
		n, used, err := d.Transform(dst, src, end)
		out.Write(dst[:n])
		src = src[used:]
		if err == transform.ErrShortDst {
			continue
		}
		break
	}
	d.rest = src
	return out.String()
}
