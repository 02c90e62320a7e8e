package environment

// registrationOperations are of ServiceWorkerRegistration and the worker's own life (Service Workers, 3.2 and 4.1).
var registrationOperations = operations{
	"routes": touching(func(r *Realm, args arguments) (any, error) { return nil, r.w.AddRoutes(args.text(0)) }),
	"skipWaiting": promised(func(r *Realm, _ arguments) (any, string) {
		r.w.SkipWaiting()
		return nil, ""
	}),
}
