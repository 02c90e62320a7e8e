package page

import (
	"bytes"
	"iter"
)

const quotes = "\"'`"

// longestExtension bounds the extensions of names that count as names of files, in bytes.
const longestExtension = 12

// namedFiles lists the texts between quotes that look like addresses of files: with an extension of 2 to 12 letters and digits
// that begins with a letter, then perhaps a query.
func namedFiles(text []byte) iter.Seq[[]byte] {
	return func(yield func([]byte) bool) {
		for at := 0; ; {
			open := bytes.IndexAny(text[at:], quotes)
			if open < 0 {
				return
			}
			from := at + open + 1
			end := from
			for end < len(text) && isAddressByte(text[end]) {
				end++
			}
			at = from
			if end == from || !mayBegin(text[from]) || !hasExtension(text[from:end]) {
				continue
			}
			if end < len(text) && text[end] == '?' {
				for end < len(text) && bytes.IndexByte([]byte(quotes+" \t\n\f\r"), text[end]) < 0 {
					end++
				}
			}
			if end < len(text) && bytes.IndexByte([]byte(quotes), text[end]) >= 0 {
				if !yield(text[from:end]) {
					return
				}
				at = end + 1
			}
		}
	}
}

func isLetter(c byte) bool       { return c|0x20 >= 'a' && c|0x20 <= 'z' }
func isAlphanumeric(c byte) bool { return isLetter(c) || c >= '0' && c <= '9' }

func isAddressByte(c byte) bool {
	return isAlphanumeric(c) || bytes.IndexByte([]byte("_@%~+.,:/=-"), c) >= 0
}

// mayBegin reports whether the name of a file may begin with a byte of an address.
func mayBegin(c byte) bool { return isAlphanumeric(c) || bytes.IndexByte([]byte("_@.~/-"), c) >= 0 }

// hasExtension reports whether a name has an extension, and something before it.
func hasExtension(name []byte) bool {
	dot := bytes.LastIndexByte(name, '.')
	extension := name[dot+1:]
	if dot < 1 || len(extension) < 2 || len(extension) > longestExtension || !isLetter(extension[0]) {
		return false
	}
	for _, c := range extension {
		if !isAlphanumeric(c) {
			return false
		}
	}
	return true
}
