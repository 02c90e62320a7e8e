// Package target lists the kinds of browsers, each on a kind of system, that sites are judged for.
package target

// The targets, by the words that project files and reports have for them.
const (
	ChromiumAndroid = "chromium-android"
	ChromiumDesktop = "chromium-desktop"
	SafariIOS       = "safari-ios"
	SafariMacOS     = "safari-macos"
	FirefoxAndroid  = "firefox-android"
)

// All lists every target in the order in which reports name them.
var All = []string{ChromiumAndroid, ChromiumDesktop, SafariIOS, SafariMacOS, FirefoxAndroid}
