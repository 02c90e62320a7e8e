package storage

import (
	"maps"
	"slices"
)

// maxWebArea bounds a web storage area, in characters of its keys and values (as browsers do).
const maxWebArea = 5 << 20

// WebArea is a storage area (HTML, 12): values by their keys, in the order in which these came.
type WebArea struct {
	keys   []string
	values map[string]string
	size   int
}

// WebStorage has the areas of a profile, by the key under which they are shared.
type WebStorage map[string]*WebArea

// Area gives the area of a key, made where there is none.
func (w WebStorage) Area(key string) *WebArea {
	if w[key] == nil {
		w[key] = &WebArea{values: map[string]string{}}
	}
	return w[key]
}

// Local gives the area that all pages of an origin share.
func (w WebStorage) Local(origin string) *WebArea { return w.Area("local " + origin) }

// Branch copies all areas.
func (w WebStorage) Branch() WebStorage {
	out := WebStorage{}
	for key, a := range w {
		out[key] = &WebArea{slices.Clone(a.keys), maps.Clone(a.values), a.size}
	}
	return out
}

// Keys lists the keys of an area.
func (a *WebArea) Keys() []string { return a.keys }

// Get gives a value and whether it is there.
func (a *WebArea) Get(key string) (string, bool) {
	v, there := a.values[key]
	return v, there
}

// Set keeps a value; it reports false where there is no room for it.
func (a *WebArea) Set(key, value string) bool {
	old, there := a.values[key]
	size := a.size + len(value) - len(old)
	if !there {
		size += len(key)
	}
	if size > maxWebArea {
		return false
	}
	if !there {
		a.keys = append(a.keys, key)
	}
	a.values[key], a.size = value, size
	return true
}

// Remove takes a value away.
func (a *WebArea) Remove(key string) {
	if old, there := a.values[key]; there {
		a.size -= len(key) + len(old)
		delete(a.values, key)
		a.keys = slices.DeleteFunc(a.keys, func(k string) bool { return k == key })
	}
}

// Clear takes all of them away.
func (a *WebArea) Clear() { *a = WebArea{values: map[string]string{}} }
