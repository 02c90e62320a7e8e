package project

import (
	"bytes"
	"encoding/json"
	"fmt"
	"reflect"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// Duration is a length of time written as a number and a unit: ms, s, m, h or d.
type Duration time.Duration

// Size is a number of bytes written as a number and a unit: B, kB, MB or GB (powers of 1000).
type Size int64

var amount = regexp.MustCompile(`^([0-9]+(?:\.[0-9]+)?)\s*([A-Za-z]*)$`)

func parseAmount(text string, units map[string]float64) (float64, bool) {
	m := amount.FindStringSubmatch(strings.TrimSpace(text))
	if m == nil {
		return 0, false
	}
	unit, ok := units[m[2]]
	if !ok {
		return 0, false
	}
	n, err := strconv.ParseFloat(m[1], 64)
	return n * unit, err == nil
}

func parseDuration(text string) (Duration, error) {
	n, ok := parseAmount(text, map[string]float64{"ms": 1e6, "s": 1e9, "m": 60e9, "h": 3600e9, "d": 86400e9})
	if !ok {
		return 0, fmt.Errorf("a time such as 300ms, 3s, 10m, 2h or 1d")
	}
	return Duration(n), nil
}

func parseSize(text string) (Size, error) {
	n, ok := parseAmount(text, map[string]float64{"": 1, "B": 1, "kB": 1e3, "KB": 1e3, "MB": 1e6, "GB": 1e9})
	if !ok {
		return 0, fmt.Errorf("a size such as 300 kB or 2 MB")
	}
	return Size(n), nil
}

// String writes the duration as it would stand in a project file.
func (d Duration) String() string {
	t := time.Duration(d)
	if t == 0 {
		return "0s"
	}
	for _, u := range []struct {
		unit string
		of   time.Duration
	}{{"d", 24 * time.Hour}, {"h", time.Hour}, {"m", time.Minute}, {"s", time.Second}} {
		if t%u.of == 0 {
			return fmt.Sprintf("%d%s", t/u.of, u.unit)
		}
	}
	return fmt.Sprintf("%dms", t/time.Millisecond)
}

// Words writes an expectation on one line, as it stands in the project file.
func (e Expectation) Words() string {
	var parts []string
	v := reflect.ValueOf(e)
	for i := range v.NumField() {
		f := v.Field(i)
		if f.IsZero() {
			continue
		}
		value := fmt.Sprint(f.Interface())
		if f.Kind() == reflect.Slice {
			value = "[" + strings.Join(f.Interface().([]string), ", ") + "]"
		}
		parts = append(parts, v.Type().Field(i).Tag.Get("yaml")+": "+value)
	}
	return strings.Join(parts, ", ")
}

// Milliseconds gives the duration as whole milliseconds.
func (d Duration) Milliseconds() int64 { return time.Duration(d).Milliseconds() }

// String writes the size with the unit that suits it.
func (s Size) String() string {
	switch {
	case s >= 1e9:
		return trimZero(float64(s)/1e9) + " GB"
	case s >= 1e6:
		return trimZero(float64(s)/1e6) + " MB"
	case s >= 1e3:
		return trimZero(float64(s)/1e3) + " kB"
	}
	return strconv.FormatInt(int64(s), 10) + " B"
}

func trimZero(f float64) string { return strings.TrimSuffix(strconv.FormatFloat(f, 'f', 1, 64), ".0") }

// Member is one manifest member: a name and a value of the JSON kinds (string, float64 or int64, bool, nil, []any,
// Members).
type Member struct {
	Name  string
	Value any
	Place Place
}

// Members is an object whose members keep their order.
type Members []Member

// Get gives the value of the member called name.
func (m Members) Get(name string) (any, bool) {
	for _, e := range m {
		if e.Name == name {
			return e.Value, true
		}
	}
	return nil, false
}

// Text gives the member called name if it is a string, else "".
func (m Members) Text(name string) string {
	v, _ := m.Get(name)
	s, _ := v.(string)
	return s
}

// Set replaces or adds a member.
func (m *Members) Set(name string, value any) {
	for i := range *m {
		if (*m)[i].Name == name {
			(*m)[i].Value = value
			return
		}
	}
	*m = append(*m, Member{Name: name, Value: value})
}

// MarshalJSON writes the members as a JSON object in their order.
func (m Members) MarshalJSON() ([]byte, error) {
	var b strings.Builder
	b.WriteByte('{')
	for i, e := range m {
		if i > 0 {
			b.WriteByte(',')
		}
		name, err := PlainJSON(e.Name)
		if err != nil {
			return nil, err
		}
		value, err := PlainJSON(e.Value)
		if err != nil {
			return nil, err
		}
		b.Write(name)
		b.WriteByte(':')
		b.Write(value)
	}
	b.WriteByte('}')
	return []byte(b.String()), nil
}

// PlainJSON is json.Marshal without escapes for <, > and &, which people would have to read.
func PlainJSON(v any) ([]byte, error) {
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	err := enc.Encode(v)
	return bytes.TrimSpace(b.Bytes()), err
}
