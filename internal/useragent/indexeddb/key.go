package indexeddb

import (
	"bytes"
	"cmp"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"unicode/utf16"
)

// Key is a value by which records are found (Indexed Database, 2.4). Its zero value is no key.
type Key struct {
	kind   keyKind
	number float64 // of a number or a date, in milliseconds
	text   string
	bytes  []byte
	list   []Key
}

// keyKind is the type of a key. Their order is that of the keys.
type keyKind uint8

const (
	noKey keyKind = iota
	numberKey
	dateKey
	stringKey
	binaryKey
	arrayKey
)

// maxKeyDepth bounds arrays in arrays.
const maxKeyDepth = 100

// Valid says whether it is a key at all.
func (k Key) Valid() bool { return k.kind != noKey }

// Compare is "compare two keys" (2.4): negative, zero or positive.
func (k Key) Compare(other Key) int {
	if k.kind != other.kind {
		return cmp.Compare(k.kind, other.kind)
	}
	switch k.kind {
	case numberKey, dateKey:
		return cmp.Compare(k.number, other.number)
	case stringKey:
		return compareUnits(k.text, other.text)
	case binaryKey:
		return bytes.Compare(k.bytes, other.bytes)
	}
	return slices.CompareFunc(k.list, other.list, Key.Compare)
}

// compareUnits compares strings by their UTF-16 code units, which differs from the order of UTF-8 above U+D800.
func compareUnits(a, b string) int {
	for i := range min(len(a), len(b)) {
		if a[i] != b[i] {
			return slices.Compare(utf16.Encode([]rune(a)), utf16.Encode([]rune(b)))
		}
	}
	return cmp.Compare(len(a), len(b))
}

// jsonKey is how keys cross: numbers, strings and lists as they are; dates, bytes and numbers that JSON lacks in
// objects.
type jsonKey struct {
	Date   *float64 `json:"date,omitempty"`
	Binary *string  `json:"binary,omitempty"`
	Number *string  `json:"number,omitempty"`
}

// MarshalJSON writes a key as it crosses to scripts, null for none.
func (k Key) MarshalJSON() ([]byte, error) {
	switch k.kind {
	case numberKey:
		if math.IsInf(k.number, 0) {
			text := strconv.FormatFloat(k.number, 'g', -1, 64)
			return json.Marshal(jsonKey{Number: &text})
		}
		return json.Marshal(k.number)
	case dateKey:
		return json.Marshal(jsonKey{Date: &k.number})
	case stringKey:
		return json.Marshal(k.text)
	case binaryKey:
		text := hex.EncodeToString(k.bytes)
		return json.Marshal(jsonKey{Binary: &text})
	case arrayKey:
		return json.Marshal(append([]Key{}, k.list...))
	}
	return []byte("null"), nil
}

// UnmarshalJSON reads a key that crossed; null is none.
func (k *Key) UnmarshalJSON(data []byte) error {
	*k = Key{}
	if len(data) == 0 {
		return fmt.Errorf("an empty text is no key")
	}
	switch data[0] {
	case 'n':
		return nil
	case '"':
		k.kind = stringKey
		return json.Unmarshal(data, &k.text)
	case '[':
		k.kind = arrayKey
		return json.Unmarshal(data, &k.list)
	case '{':
		var o jsonKey
		if err := json.Unmarshal(data, &o); err != nil {
			return err
		}
		var err error
		switch {
		case o.Date != nil:
			k.kind, k.number = dateKey, *o.Date
		case o.Binary != nil:
			k.kind = binaryKey
			k.bytes, err = hex.DecodeString(*o.Binary)
		case o.Number != nil:
			k.kind = numberKey
			k.number, err = strconv.ParseFloat(*o.Number, 64)
		}
		return err
	}
	k.kind = numberKey
	return json.Unmarshal(data, &k.number)
}

// Range is a range of keys (2.9). A bound that is no key is open to its side.
type Range struct {
	Lower, Upper         Key
	LowerOpen, UpperOpen bool
}

// Holds says whether a key lies in the range.
func (r Range) Holds(k Key) bool { return !r.below(k) && !r.above(k) }

// below says whether a key lies before the range, above whether after it.
func (r Range) below(k Key) bool {
	if !r.Lower.Valid() {
		return false
	}
	c := k.Compare(r.Lower)
	return c < 0 || c == 0 && r.LowerOpen
}

func (r Range) above(k Key) bool {
	if !r.Upper.Valid() {
		return false
	}
	c := k.Compare(r.Upper)
	return c > 0 || c == 0 && r.UpperOpen
}
