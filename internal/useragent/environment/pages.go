package environment

import (
	"encoding/json"
	"strings"

	"tachyform/internal/page"
	"tachyform/internal/useragent/structured"
)

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
		r.page.Import(args.text(1), args.text(2), func(url string, err error) {
			failure := ""
			if err != nil {
				failure = err.Error()
			}
			r.settle(id, url, failure)
		})
		return nil, nil
	}),
	"script.kind": plain(func(_ *Realm, args arguments) (any, error) {
		names := map[string]int{"type": 0, "language": 1, "nomodule": 2, "event": 3, "for": 4}
		return page.ScriptKind(func(name string) (string, bool) {
			value, has := args.at(names[name]).(string)
			return value, has
		}), nil
	}),
	"csp.script": plain(func(r *Realm, args arguments) (any, error) {
		return r.page.AllowsInline(args.text(0), args.text(1)), nil
	}),
	"csp.inline": plain(func(r *Realm, _ arguments) (any, error) { return r.page.AllowsInline("", ""), nil }),
	"media":      plain(func(r *Realm, args arguments) (any, error) { return r.page.Matches(args.text(0)), nil }),
	// A host that can't be reached is no connection that was lost.
	"online": plain(func(*Realm, arguments) (any, error) { return true, nil }),
	"history.change": touching(func(r *Realm, args arguments) (any, error) {
		state, err := r.stateFrom(args.text(2))
		if err == nil {
			r.page.ChangeHistory(args.text(0), args.flag(1), state)
		}
		return nil, err
	}),
	"history.entries": plain(func(r *Realm, _ arguments) (any, error) {
		entries, at := r.page.HistoryEntries()
		list := []map[string]any{}
		for _, e := range entries {
			state := ""
			if e.State != nil {
				state = toJSON(r.valueInto(*e.State))
			}
			list = append(list, map[string]any{"url": e.URL, "key": e.Key, "id": e.ID, "same": e.Same, "state": state})
		}
		return toJSON(map[string]any{"entries": list, "at": at}), nil
	}),
	"history.keep": touching(func(r *Realm, args arguments) (any, error) {
		state, err := r.stateFrom(args.text(0))
		if err == nil {
			r.page.KeepState(state)
		}
		return nil, err
	}),
	"history.length": plain(func(r *Realm, _ arguments) (any, error) { return r.page.HistoryLength(), nil }),
	"location.assign": touching(func(r *Realm, args arguments) (any, error) {
		url, replace := args.text(0), args.flag(1)
		kept, err := r.stateFrom(args.text(2))
		r.p.clock().After(0, func() { r.page.Navigate(url, replace, kept) })
		return nil, err
	}),
	"location.reload": touching(func(r *Realm, _ arguments) (any, error) {
		r.p.clock().After(0, r.page.Reload)
		return nil, nil
	}),
	"history.traverse": touching(func(r *Realm, args arguments) (any, error) {
		r.page.TraverseHistory(args.number(0))
		return nil, nil
	}),
	"navigate.link": touching(func(r *Realm, args arguments) (any, error) {
		url, target := args.text(0), args.text(1)
		r.p.clock().After(0, func() { r.page.Follow(url, target, "", nil) })
		return nil, nil
	}),
	"navigate.post": touching(func(r *Realm, args arguments) (any, error) {
		url, target, kind := args.text(0), args.text(1), args.text(2)
		body, err := r.bodies[args.number(3)].body.Bytes()
		if err != nil {
			return nil, err
		}
		r.p.clock().After(0, func() { r.page.Follow(url, target, kind, body) })
		return nil, nil
	}),
	"frame.make": touching(func(r *Realm, args arguments) (any, error) {
		sandbox, sandboxed := args.at(1).(string)
		return r.page.MakeFrame(args.text(0), sandboxed, strings.Fields(strings.ToLower(sandbox))), nil
	}),
	"frame.navigate": touching(func(r *Realm, args arguments) (any, error) {
		var text *string
		if given, ok := args.at(2).(string); ok {
			text = &given
		}
		r.page.NavigateFrame(args.number(0), args.text(1), text, args.flag(3))
		return nil, nil
	}),
	"frame.window": touching(func(r *Realm, args arguments) (any, error) { return r.page.FrameWindow(args.number(0)), nil }),
	"frame.remove": touching(func(r *Realm, args arguments) (any, error) {
		r.page.RemoveFrame(args.number(0))
		return nil, nil
	}),
	"frame.name": touching(func(r *Realm, args arguments) (any, error) {
		r.page.RenameFrame(args.number(0), args.text(1))
		return nil, nil
	}),
	"window.parent": plain(func(r *Realm, args arguments) (any, error) { return r.page.Around(args.number(0)), nil }),
	"window.post": touching(func(r *Realm, args arguments) (any, error) {
		r.page.PostMessage(args.number(0), args.text(1), args.text(2))
		return nil, nil
	}),
	"document.open": touching(func(r *Realm, _ arguments) (any, error) {
		r.page.DocumentOpened()
		return nil, nil
	}),
	"document.written": touching(func(r *Realm, args arguments) (any, error) {
		return r.page.Written(args.number(0), args.text(1)), nil
	}),
	"document.close": touching(func(r *Realm, _ arguments) (any, error) {
		r.page.DocumentClosed()
		return nil, nil
	}),
	"styled": touching(func(*Realm, arguments) (any, error) { return nil, nil }),
	"meta":   touching(func(*Realm, arguments) (any, error) { return nil, nil }),
	"base": touching(func(r *Realm, args arguments) (any, error) {
		r.page.SetBase(args.text(0))
		return nil, nil
	}),
}

// stateFrom takes a state of the history over, as it crosses; "" is none.
func (r *Realm) stateFrom(text string) (*structured.Value, error) {
	if text == "" {
		return nil, nil
	}
	var kept keptValue
	if err := json.Unmarshal([]byte(text), &kept); err != nil {
		return nil, err
	}
	v := r.valueFrom(kept)
	return &v, nil
}
