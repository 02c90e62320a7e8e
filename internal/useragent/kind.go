package useragent

import (
	"maps"
	"slices"
	"time"

	"tachyform/internal/target"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/environment"
	"tachyform/internal/useragent/serviceworker"
)

// Kind says what kind of browser it is.
type Kind struct {
	// UpdateDelay is how long after a navigation the check for a new worker comes.
	UpdateDelay time.Duration
	// Lacks names what workers do not find there, such as SyncManager or InstallEvent.prototype.addRoutes; "module
	// workers" is the type of registration.
	Lacks []string
	// BackForward says which documents it keeps for going back, KeptClients what becomes of their clients when workers change.
	BackForward document.BackForwardCache
	KeptClients serviceworker.KeptClients
}

func (p *Kind) lacks(what string) bool { return slices.Contains(p.Lacks, what) }

// moduleWorkers is a type of registration, which kinds of browser may lack.
const moduleWorkers = "module workers"

// styleModules is the import attribute type: 'css', which kinds of browser may lack.
const styleModules = "style modules"

// chromium is Chromium; on phones it keeps documents that listen for unload, as its documentation says, on desktops it does
// not.
func chromium(phone bool) *Kind {
	lacks := []string{environment.CopiesByVary, environment.WholeKeys, environment.ImmutableCopies, environment.RejectionsOfJSON, "ReadableStream.from",
		"SharedArrayBuffer"}
	if !phone {
		lacks = append(lacks, environment.Touch)
	}
	return &Kind{UpdateDelay: updateDelay, Lacks: lacks,
		BackForward: document.BackForwardCache{Most: 6, For: 10 * time.Minute, DespiteUnload: phone,
			NoStore: document.KeptNoStoreWithCookies, DespiteLocks: true, Freezes: true, HearsLater: true},
		KeptClients: serviceworker.KeptClientsGiveWay}
}

var chromiumDesktop = chromium(false)

const updateDelay = 2 * time.Second

// backgroundSync is what only Chromium has of events without a page.
var backgroundSync = []string{"SyncManager", "SyncEvent", "ServiceWorkerRegistration.prototype.sync",
	"PeriodicSyncManager", "PeriodicSyncEvent", "ServiceWorkerRegistration.prototype.periodicSync"}

// Kinds are the kinds of browser that sites are judged for. What each lacks was asked of a real one;
// docs/conformance.md says how.
var Kinds = map[string]*Kind{
	target.ChromiumAndroid: chromium(true),
	target.ChromiumDesktop: chromiumDesktop,
	target.FirefoxAndroid: {UpdateDelay: updateDelay,
		Lacks: append([]string{"InstallEvent.prototype.addRoutes", "WorkerNavigator.prototype.connection",
			"WorkerNavigator.prototype.setAppBadge", "WorkerNavigator.prototype.clearAppBadge"}, backgroundSync...),
		BackForward: document.BackForwardCache{Most: 3, For: 30 * time.Minute, DespiteUnload: true, DespiteStatus: true,
			Requests: document.KeptRequestsForbid},
		KeptClients: serviceworker.KeptClientsCount},
	target.SafariIOS:   safari(),
	target.SafariMacOS: safari(environment.Touch),
}

func safari(lacks ...string) *Kind {
	return &Kind{UpdateDelay: updateDelay,
		Lacks: append(append(lacks, "InstallEvent.prototype.addRoutes", "scheduler", "WebTransport", "ReadableStreamBYOBReader", styleModules,
			"ReadableStream.prototype.@@asyncIterator", "ReadableStream.prototype.values",
			"WorkerNavigator.prototype.connection"), backgroundSync...),
		BackForward: document.BackForwardCache{Most: 2, For: 30 * time.Minute, DespiteUnload: true,
			NoStore: document.KeptNoStoreAlways, DespiteStatus: true, DespiteLocks: true, DespiteContact: true, Requests: document.KeptRequestsFail},
		KeptClients: serviceworker.KeptClientsStay}
}

// KindNames lists the kinds of browser by name.
func KindNames() []string { return slices.Sorted(maps.Keys(Kinds)) }

var defaultKind = chromiumDesktop
