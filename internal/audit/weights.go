package audit

import "slices"

// weightByTarget says where a check weighs otherwise than Check.Weight does: by target, "" where nobody notices. What stops installing on some targets
// and is not listed here is a risk on the others.
var weightByTarget = map[string]map[string]string{
	"app.unlinked":    {"safari-macos": Polish},
	"app.unreachable": {"safari-macos": Polish},
	"app.unreadable":  {"safari-macos": Polish},
	"app.start":       {"safari-ios": Polish, "safari-macos": Polish, "firefox-android": Polish},
	"app.display":     {"safari-macos": ""},
	"app.related":     only(Risk, "chromium-desktop"),
	"icon.unfit":      {"safari-ios": Polish, "safari-macos": Polish},
	"shop.proof":      only(Risk, "chromium-android"),
	"shop.lacks":      only(Polish, "chromium-android"),
	"worker.ranges":   {"chromium-android": Polish, "chromium-desktop": Polish, "firefox-android": Polish},
	"icon.cut":        only(Risk, "chromium-android", "firefox-android"),
	"icon.maskable":   only(Polish, "chromium-android", "firefox-android"),
	"icon.black":      only(Risk, "safari-ios"),
	"icon.faint":      {"safari-ios": "", "firefox-android": ""},
	"app.shortcut":    {"safari-ios": "", "safari-macos": ""},
	"app.screenshot":  only(Polish, chromium...),
	"app.bare":        only(Polish, chromium...),
	"app.id":          only(Polish, "chromium-android", "chromium-desktop", "firefox-android"),
	"app.one-sided":   only(Polish, chromium...),
	"app.cut":         only(Polish, "chromium-android", "safari-ios", "firefox-android"),
	"app.flash":       only(Polish, "chromium-android", "chromium-desktop", "firefox-android"),
	"app.contrast":    only(Polish, chromium...),
	"page.viewport":   {"chromium-desktop": "", "safari-macos": ""},
	"offline.phone":   {"chromium-desktop": "", "safari-macos": ""},
	"page.theme":      {"firefox-android": ""},
	"page.apple":      only(Polish, "safari-ios", "safari-macos"),
	"app.apart":       only(Polish, "safari-ios"),
}

// only is the map of a check that is felt on some targets alone.
func only(weight string, targets ...string) map[string]string {
	m := map[string]string{}
	for _, t := range Every {
		m[t] = ""
		if slices.Contains(targets, t) {
			m[t] = weight
		}
	}
	return m
}

// WeightOn is the check's weight on a target, "" where nobody notices.
func (c Check) WeightOn(target string) string {
	if slices.Contains(c.Stops, target) {
		return Blocker
	}
	if w, otherwise := weightByTarget[c.Code][target]; otherwise {
		return w
	}
	if c.Weight == Blocker && len(c.Stops) > 0 {
		return Risk
	}
	return c.Weight
}

// weighted gives the weights of a check on targets by name, without those on which nobody notices, and the heaviest of them; "" for none.
func (c Check) weighted(targets []string) (heaviest string, by map[string]string) {
	by = map[string]string{}
	for _, t := range targets {
		w := c.WeightOn(t)
		if w == "" {
			continue
		}
		by[t] = w
		if heaviest == "" || Heavier(w, heaviest) {
			heaviest = w
		}
	}
	return heaviest, by
}
