package environment

import (
	"fmt"

	"tachyform/internal/page"
	"tachyform/internal/useragent/account"
)

// scriptOperations run scripts and take down what they say.
var scriptOperations = operations{
	"eval":   plain(func(r *Realm, args arguments) (any, error) { return nil, r.Eval(args.text(0), args.text(1)) }),
	"module": plain(func(r *Realm, args arguments) (any, error) { return r.Import(args.text(0)), nil }),
	"import": plain(func(r *Realm, args arguments) (text any, err error) {
		if r.page == nil {
			return r.w.ImportScript(args.text(0))
		}
		r.touchedHost = true
		r.waiting(func() { text, err = r.page.ImportScript(args.text(0)) })
		return text, err
	}),
	"import.resolve": plain(func(r *Realm, args arguments) (any, error) {
		name, base := args.text(0), args.text(1)
		var imports *page.ImportMap
		if r.page != nil {
			imports = r.page.Imports()
		}
		if url, ok := imports.Resolve(base, name); ok {
			return url, nil
		}
		return nil, nil
	}),
	"log": plain(func(r *Realm, args arguments) (any, error) {
		r.p.account().Note(account.Note{
			Level: args.text(0), Text: args.text(1), Where: r.address(), Stack: args.text(2), ErrorName: args.text(3),
		})
		if r.page != nil && args.text(0) == "error" && args.text(3) != "" {
			r.page.Failed(args.text(3), args.text(1))
		}
		return nil, nil
	}),
	// Work of the environment that its own steps do not show.
	"charge": plain(func(r *Realm, args arguments) (any, error) {
		r.Charge(args.number(0))
		return nil, nil
	}),
	"gap": touching(func(r *Realm, args arguments) (any, error) {
		r.gap(account.Gap{What: args.text(0), Where: account.PlaceIn(args.text(1)), Soft: args.flag(2)})
		return nil, nil
	}),
}

// gap takes down what a script used and this user agent lacks.
func (r *Realm) gap(g account.Gap) {
	if r.page != nil {
		r.page.Gap(g)
		return
	}
	r.p.account().WorkerGap(g.What)
}

// noImport is what import() gives: service workers do not have it (Service Workers, 3.1.1).
const noImport = `throw new TypeError("import() is not allowed in service workers");`

// loadModule gives the text of a module that a module worker imports statically.
func (r *Realm) loadModule(name string) (string, error) {
	if r.page != nil {
		return r.page.ModuleText(name)
	}
	if !r.scripting || r.w.Type != "module" {
		return noImport, nil
	}
	return r.w.ImportScript(name)
}

// normalizeModule resolves a module specifier of a script.
func (r *Realm) normalizeModule(base, name string) (string, error) {
	if r.page != nil {
		return r.page.ResolveModule(base, name)
	}
	var none *page.ImportMap
	if url, ok := none.Resolve(base, name); ok {
		return url, nil
	}
	return "", fmt.Errorf("TypeError: the bare module name %q cannot be resolved", name)
}
