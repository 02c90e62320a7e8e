package useragent

import (
	"maps"
	"slices"
	"time"

	"tachyform/internal/target"
	"tachyform/internal/useragent/environment"
)

// Kind says what kind of browser it is.
type Kind struct {
	// UpdateDelay is how long after a navigation the check for a new worker comes.
	UpdateDelay time.Duration
	// Lacks names what workers do not find there, such as SyncManager or InstallEvent.prototype.addRoutes; "module
	// workers" is the type of registration.
	Lacks []string
}

func (p *Kind) lacks(what string) bool { return slices.Contains(p.Lacks, what) }

// moduleWorkers is a type of registration, which kinds of browser may lack.
const moduleWorkers = "module workers"

var chromiumKind = &Kind{UpdateDelay: updateDelay, Lacks: []string{environment.CopiesByVary, environment.WholeKeys,
	environment.ImmutableCopies, "ReadableStream.from", "SharedArrayBuffer"}}

const updateDelay = 2 * time.Second

// backgroundSync is what only Chromium has of events without a page.
var backgroundSync = []string{"SyncManager", "SyncEvent", "ServiceWorkerRegistration.prototype.sync",
	"PeriodicSyncManager", "PeriodicSyncEvent", "ServiceWorkerRegistration.prototype.periodicSync"}

// Kinds are the kinds of browser that sites are judged for. What each lacks was asked of a real one;
// docs/conformance.md says how.
var Kinds = map[string]*Kind{
	target.ChromiumAndroid: chromiumKind,
	target.ChromiumDesktop: chromiumKind,
	target.FirefoxAndroid: {UpdateDelay: updateDelay,
		Lacks: append([]string{"InstallEvent.prototype.addRoutes", "WorkerNavigator.prototype.connection",
			"WorkerNavigator.prototype.setAppBadge", "WorkerNavigator.prototype.clearAppBadge"}, backgroundSync...)},
	target.SafariIOS:   safariKind,
	target.SafariMacOS: safariKind,
}

var safariKind = &Kind{UpdateDelay: updateDelay,
	Lacks: append([]string{"InstallEvent.prototype.addRoutes", "scheduler", "WebTransport", "ReadableStreamBYOBReader",
		"WorkerNavigator.prototype.connection"}, backgroundSync...)}

// KindNames lists the kinds of browser by name.
func KindNames() []string { return slices.Sorted(maps.Keys(Kinds)) }

var defaultKind = Kinds[target.ChromiumDesktop]
