package audit

import (
	"cmp"
	"slices"

	"tachyform/internal/target"
)

// Check is what can be found: its code, how heavy it weighs, and the words for it. It stands beside the function that
// judges.
type Check struct {
	Code   string `json:"code"`
	Weight string `json:"weight"`
	// Title says what is wrong, Reason what a user feels of it, Mend what to do; the mend of a finding may be more exact.
	Title    string `json:"title"`
	Reason   string `json:"reason"`
	Mend     string `json:"mend"`
	Standard string `json:"standard,omitempty"`
	// Stops lists the targets that do not install the app because of it.
	Stops []string `json:"stops,omitempty"`
	// Example is a small case of it.
	Example string `json:"example,omitempty"`

	// Rank says where it stands among all: findings of one weight are shown in the order of their ranks.
	Rank int `json:"-"`
	// Otherwise says where it weighs otherwise than Weight: by target, "" where nobody notices. What stops installing on
	// some targets and is not listed is a risk on the others.
	Otherwise map[string]string `json:"-"`
	// FitMends tells that a fit may mend it.
	FitMends bool `json:"-"`
}

var (
	chromium = []string{target.ChromiumAndroid, target.ChromiumDesktop}
	askers   = []string{target.ChromiumAndroid, target.ChromiumDesktop, target.FirefoxAndroid}
	readers  = []string{target.ChromiumAndroid, target.ChromiumDesktop, target.FirefoxAndroid, target.SafariIOS}
)

// checks are all checks, as the files of this package make them.
var checks []*Check

// newCheck makes a check known.
func newCheck(c Check) *Check {
	checks = append(checks, &c)
	return &c
}

// Catalogue lists every check, in the order in which findings of one weight are shown.
var Catalogue []*Check

func init() { // once the variables of all files are there
	Catalogue = checks
	slices.SortFunc(Catalogue, func(a, b *Check) int { return cmp.Compare(a.Rank, b.Rank) })
}

// CheckOf gives the check of a code, nil for none.
func CheckOf(code string) *Check {
	for _, c := range Catalogue {
		if c.Code == code {
			return c
		}
	}
	return nil
}
