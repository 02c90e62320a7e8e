package environment

// registrationOperations are of ServiceWorkerRegistration and the worker's own life (Service Workers, 3.2 and 4.1).
var registrationOperations = operations{
	"routes": touching(func(r *Realm, args arguments) (any, error) { return nil, r.w.AddRoutes(args.text(0)) }),
	"skipWaiting": promised(func(r *Realm, _ arguments) (any, string) {
		r.w.SkipWaiting()
		return nil, ""
	}),
	"unregister": promised(func(r *Realm, _ arguments) (any, string) {
		found := !r.w.Registration.Gone()
		r.w.Registration.Unregister()
		return found, ""
	}),
	"update": promised(func(r *Realm, _ arguments) (any, string) {
		if r.w.IsNew() {
			return nil, "InvalidStateError: a worker that is being installed looks for no update"
		}
		r.w.Registration.SoftUpdate()
		return nil, ""
	}),
	"preload": promised(func(r *Realm, args arguments) (any, string) {
		g := r.w.Registration
		if args.text(0) != "" && g.Active == nil {
			return nil, "InvalidStateError: there is no active worker to load ahead for"
		}
		switch args.text(0) {
		case "enable":
			g.Preload = true
		case "disable":
			g.Preload = false
		}
		return g.Preload, ""
	}),
}
