package worker

import (
	"regexp"
	"strings"
)

// StoreKind says what a cache of a generated worker is for.
type StoreKind uint8

const (
	PackStore     StoreKind = iota // the files of the release
	RuleStore                      // what a rule keeps
	ReleasesStore                  // which pages run under which release
)

// Store is one of the caches of a generated worker. runtime/names.js gives them their names.
type Store struct {
	Scope string
	Kind  StoreKind
	// Rule is the rule's pattern, and its destination where it has one, for RuleStore.
	Rule string
}

// OtherBytesError is the name of the error that ends an installation when a file of the pack answers with other bytes
// than the release has (runtime/pack.js).
const OtherBytesError = "OtherBytesError"

const (
	storePrefix  = "tachyform "
	packName     = "pack"
	releasesName = "book"
	rulePrefix   = "kept "
)

// storeStamp ends the names of stores whose content a release may change.
var storeStamp = regexp.MustCompile(` #[0-9A-Za-z+/]{8}$`)

// ParseStore reads the name of a cache; ok is false for one that no generated worker has made.
func ParseStore(name string) (s Store, ok bool) {
	rest, ours := strings.CutPrefix(name, storePrefix)
	if !ours {
		return s, false
	}
	s.Scope, rest, _ = strings.Cut(rest, " ")
	switch rule, kept := strings.CutPrefix(rest, rulePrefix); {
	case kept:
		s.Kind, s.Rule = RuleStore, WithoutStamp(rule)
	case rest == packName:
		s.Kind = PackStore
	case rest == releasesName:
		s.Kind = ReleasesStore
	default:
		return s, false
	}
	return s, true
}

// WithoutStamp is the name of a cache as people read it, without the stamp of the release at its end.
func WithoutStamp(name string) string { return storeStamp.ReplaceAllString(name, "") }

// ruleStore is the name of what a rule keeps; one whose content a release may change has the release's stamp behind it.
func ruleStore(scope, rule string) string { return storePrefix + scope + " " + rulePrefix + rule }
