package useragent

import (
	"maps"
	"slices"
	"time"

	"tachyform/internal/target"
)

// Kind says what kind of browser it is.
type Kind struct {
	// UpdateDelay is how long after a navigation the check for a new worker comes.
	UpdateDelay time.Duration
	// Lacks names what workers do not find there, such as SyncManager or InstallEvent.prototype.addRoutes; "module workers" is the
	// type of registration.
	Lacks []string
}

func (p *Kind) lacks(what string) bool { return slices.Contains(p.Lacks, what) }

// Habits of real browsers, beside the standard, that profiles name under Lacks; measured, see testdata/snippets.json.
const (
	// copiesByVary: of one address only the answer that was put last is kept, whatever it varies by.
	copiesByVary = "copies by Vary"
	// wholeKeys: the requests that Cache.keys() gives have lost mode, credentials and referrer.
	wholeKeys = "whole keys"
	// immutableCopies: the headers of answers from a cache can be changed.
	immutableCopies = "immutable copies"
)

var chromiumKind = &Kind{UpdateDelay: updateDelay, Lacks: []string{copiesByVary, wholeKeys, immutableCopies, "ReadableStream.from", "SharedArrayBuffer"}}

const updateDelay = 2 * time.Second

// backgroundSync is what only Chromium has of events without a page.
var backgroundSync = []string{"SyncManager", "SyncEvent", "ServiceWorkerRegistration.prototype.sync", "PeriodicSyncManager", "PeriodicSyncEvent", "ServiceWorkerRegistration.prototype.periodicSync"}

// Kinds are the kinds of browser that sites are judged for. What each lacks was asked of a real one; docs/conformance.md says how.
var Kinds = map[string]*Kind{
	target.ChromiumAndroid: chromiumKind,
	target.ChromiumDesktop: chromiumKind,
	target.FirefoxAndroid:  {UpdateDelay: updateDelay, Lacks: append([]string{"InstallEvent.prototype.addRoutes", "WorkerNavigator.prototype.connection", "WorkerNavigator.prototype.setAppBadge", "WorkerNavigator.prototype.clearAppBadge"}, backgroundSync...)},
	target.SafariIOS:       safariKind,
	target.SafariMacOS:     safariKind,
}

var safariKind = &Kind{UpdateDelay: updateDelay, Lacks: append([]string{"InstallEvent.prototype.addRoutes", "scheduler", "WebTransport", "ReadableStreamBYOBReader", "WorkerNavigator.prototype.connection"}, backgroundSync...)}

// KindNames lists the kinds of browser by name.
func KindNames() []string { return slices.Sorted(maps.Keys(Kinds)) }

var defaultKind = Kinds[target.ChromiumDesktop]
