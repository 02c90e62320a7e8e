package audit

import (
	"slices"

	"tachyform/internal/target"
)

// weightByTarget says where a check weighs otherwise than Check.Weight does: by target, "" where nobody notices. What stops installing on some targets
// and is not listed here is a risk on the others.
var weightByTarget = map[string]map[string]string{
	"app.unlinked":    {target.SafariMacOS: Polish},
	"app.unreachable": {target.SafariMacOS: Polish},
	"app.unreadable":  {target.SafariMacOS: Polish},
	"app.start":       {target.SafariIOS: Polish, target.SafariMacOS: Polish, target.FirefoxAndroid: Polish},
	"app.display":     {target.SafariMacOS: ""},
	"app.related":     only(Risk, target.ChromiumDesktop),
	"icon.unfit":      {target.SafariIOS: Polish, target.SafariMacOS: Polish},
	"shop.proof":      only(Risk, target.ChromiumAndroid),
	"shop.lacks":      only(Polish, target.ChromiumAndroid),
	"worker.ranges":   {target.ChromiumAndroid: Polish, target.ChromiumDesktop: Polish, target.FirefoxAndroid: Polish},
	"icon.cut":        only(Risk, target.ChromiumAndroid, target.FirefoxAndroid),
	"icon.maskable":   only(Polish, target.ChromiumAndroid, target.FirefoxAndroid),
	"icon.black":      only(Risk, target.SafariIOS),
	"icon.faint":      {target.SafariIOS: "", target.FirefoxAndroid: ""},
	"app.shortcut":    {target.SafariIOS: "", target.SafariMacOS: ""},
	"app.screenshot":  only(Polish, chromium...),
	"app.bare":        only(Polish, chromium...),
	"app.id":          only(Polish, target.ChromiumAndroid, target.ChromiumDesktop, target.FirefoxAndroid),
	"app.one-sided":   only(Polish, chromium...),
	"app.cut":         only(Polish, target.ChromiumAndroid, target.SafariIOS, target.FirefoxAndroid),
	"app.flash":       only(Polish, target.ChromiumAndroid, target.ChromiumDesktop, target.FirefoxAndroid),
	"app.contrast":    only(Polish, chromium...),
	"page.viewport":   {target.ChromiumDesktop: "", target.SafariMacOS: ""},
	"offline.phone":   {target.ChromiumDesktop: "", target.SafariMacOS: ""},
	"page.theme":      {target.FirefoxAndroid: ""},
	"page.apple":      only(Polish, target.SafariIOS, target.SafariMacOS),
	"app.apart":       only(Polish, target.SafariIOS),
}

// only is the map of a check that is felt on some targets alone.
func only(weight string, targets ...string) map[string]string {
	m := map[string]string{}
	for _, t := range target.All {
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
