package environment

// pageOperations are what the realm of a window asks of its page.
var pageOperations = operations{
	"element": touching(func(r *Realm, args arguments) (any, error) {
		markup := args.text(1)
		r.p.clock().After(0, func() {
			if r.current() {
				r.page.Element(markup)
			}
		})
		return nil, nil
	}),
	"script": touching(func(r *Realm, args arguments) (any, error) {
		r.page.Script(args.number(0), args.text(1))
		return nil, nil
	}),
	"module.done": touching(func(r *Realm, args arguments) (any, error) {
		r.page.ModuleDone(args.number(0), args.number(1), args.flag(2))
		return nil, nil
	}),
	"import.fetch": touching(func(r *Realm, args arguments) (any, error) {
		id := args.number(0)
		text, local := args.at(3).(string)
		r.page.Import(args.text(1), args.text(2), text, local, func(url string, err error) {
			failure := ""
			if err != nil {
				failure = err.Error()
			}
			r.settle(id, url, failure)
		})
		return nil, nil
	}),
	"csp.script": plain(func(r *Realm, args arguments) (any, error) {
		return r.page.AllowsInline(args.text(0), args.text(1)), nil
	}),
	"csp.inline": plain(func(r *Realm, _ arguments) (any, error) { return r.page.AllowsInline("", ""), nil }),
	"media":      plain(func(r *Realm, args arguments) (any, error) { return r.page.Matches(args.text(0)), nil }),
	// A host that can't be reached is no connection that was lost.
	"online": plain(func(*Realm, arguments) (any, error) { return true, nil }),
	"history.set": touching(func(r *Realm, args arguments) (any, error) {
		r.page.SetAddress(args.text(0))
		return nil, nil
	}),
	"location.assign": touching(func(r *Realm, args arguments) (any, error) {
		url := args.text(0)
		r.p.clock().After(0, func() { r.page.Navigate(url) })
		return nil, nil
	}),
	"location.reload": touching(func(r *Realm, _ arguments) (any, error) {
		r.p.clock().After(0, r.page.Reload)
		return nil, nil
	}),
	"history.traverse": touching(func(r *Realm, _ arguments) (any, error) {
		r.p.account().Gap("going back to another document")
		return nil, nil
	}),
	"navigate.link": touching(func(r *Realm, args arguments) (any, error) {
		url, target := args.text(0), args.text(1)
		if target != "" && target != "_self" && target != "_top" && target != "_parent" {
			r.p.account().Gap("opening another window")
			return nil, nil
		}
		_, err := r.runTaskLater("navigateTo", url)
		return nil, err
	}),
	"navigate.post": touching(func(r *Realm, _ arguments) (any, error) {
		r.p.account().Gap("sending a form by POST")
		return nil, nil
	}),
	"frame.window": plain(func(r *Realm, args arguments) (any, error) { return float64(r.page.Frame(args.text(0))), nil }),
	"window.post": touching(func(r *Realm, args arguments) (any, error) {
		r.page.PostMessage(args.number(0), args.text(1), args.text(2))
		return nil, nil
	}),
	"document.close": plain(func(*Realm, arguments) (any, error) { return nil, nil }),
	"styled":         touching(func(*Realm, arguments) (any, error) { return nil, nil }),
	"meta":           touching(func(*Realm, arguments) (any, error) { return nil, nil }),
	"base": touching(func(r *Realm, args arguments) (any, error) {
		r.page.SetBase(args.text(0))
		return nil, nil
	}),
}

// runTaskLater runs a command of the environment in a task of its own.
func (r *Realm) runTaskLater(name string, args ...any) (any, error) {
	r.p.clock().After(0, func() { r.command(name, args...) })
	return nil, nil
}
