package page

import (
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/tdewolff/parse/v2/js"

	"tachyform/internal/weburl"
)

// truth is what is known of a condition from its text and the page's address.
type truth int

const (
	sometimes truth = iota
	always
	never
)

func truthOf(b bool) truth {
	if b {
		return always
	}
	return never
}

func (t truth) not() truth {
	switch t {
	case always:
		return never
	case never:
		return always
	}
	return sometimes
}

// truth reads a condition as it comes out in a browser of today on the page's origin: whether there are service
// workers, and what location says, are known; all else is not.
func (r *scriptReader) truth(e js.IExpr) truth {
	switch x := e.(type) {
	case *js.GroupExpr:
		return r.truth(x.X)
	case *js.UnaryExpr:
		if x.Op == js.NotToken {
			return r.truth(x.X).not()
		}
	case *js.LiteralExpr:
		switch x.TokenType {
		case js.TrueToken:
			return always
		case js.FalseToken, js.NullToken:
			return never
		}
	case *js.DotExpr:
		switch {
		case dotName(x) == "serviceWorker":
			if v, ok := x.X.(*js.Var); ok && string(v.Name()) == "navigator" {
				return always
			}
		case dotName(x) == "isSecureContext":
			return always // elsewhere there are no workers at all, which is another finding
		}
	case *js.Var:
		if string(x.Name()) == "isSecureContext" {
			return always
		}
	case *js.CallExpr:
		// location.hostname.endsWith('…') and its like
		d, ok := x.X.(*js.DotExpr)
		if !ok || len(x.Args.List) != 1 {
			return sometimes
		}
		if text, list := d.X.(*js.ArrayExpr); list && dotName(d) == "includes" {
			value, known := r.known(x.Args.List[0].Value)
			for _, item := range text.List {
				one, plain := r.known(item.Value)
				if !plain || !known {
					return sometimes
				}
				if one == value {
					return always
				}
			}
			return never
		}
		text, ok1 := r.located(d.X)
		part, ok2 := r.literal(x.Args.List[0].Value)
		if !ok1 || !ok2 {
			return sometimes
		}
		switch dotName(d) {
		case "startsWith":
			return truthOf(strings.HasPrefix(text, part))
		case "endsWith":
			return truthOf(strings.HasSuffix(text, part))
		case "includes":
			return truthOf(strings.Contains(text, part))
		}
	case *js.BinaryExpr:
		switch x.Op {
		case js.AndToken:
			a, b := r.truth(x.X), r.truth(x.Y)
			switch {
			case a == never || b == never:
				return never
			case a == always && b == always:
				return always
			}
		case js.OrToken:
			a, b := r.truth(x.X), r.truth(x.Y)
			switch {
			case a == always || b == always:
				return always
			case a == never && b == never:
				return never
			}
		case js.InToken:
			if name, ok := r.literal(x.X); ok && name == "serviceWorker" {
				return always
			}
		case js.EqEqToken, js.EqEqEqToken, js.NotEqToken, js.NotEqEqToken:
			_, at := r.located(x.X)
			_, other := r.located(x.Y)
			a, ok1 := r.known(x.X)
			b, ok2 := r.known(x.Y)
			if !ok1 || !ok2 || !at && !other {
				return sometimes
			}
			return truthOf((a == b) == (x.Op == js.EqEqToken || x.Op == js.EqEqEqToken))
		}
	}
	return sometimes
}

func (r *scriptReader) known(e js.IExpr) (string, bool) {
	if text, ok := r.located(e); ok {
		return text, true
	}
	return r.literal(e)
}

// origin is the address of the page's origin, nil when the script may run on pages of other origins than its own.
func (r *scriptReader) origin() *whatwg.Url {
	if r.foreign {
		return nil
	}
	u, err := whatwg.Parse(r.base)
	if err != nil {
		return nil
	}
	return u
}

// located gives what a member of location holds, of those that are the same on all pages of an origin.
func (r *scriptReader) located(e js.IExpr) (string, bool) {
	d, ok := e.(*js.DotExpr)
	if !ok || !isLocation(d.X) {
		return "", false
	}
	u := r.origin()
	if u == nil {
		return "", false
	}
	switch dotName(d) {
	case "protocol":
		return u.Protocol(), true
	case "hostname":
		return u.Hostname(), true
	case "host":
		return u.Host(), true
	case "port":
		return u.Port(), true
	case "origin":
		return weburl.OriginOf(r.base), true
	}
	return "", false
}

func isLocation(e js.IExpr) bool {
	switch at := e.(type) {
	case *js.Var:
		return string(at.Name()) == "location"
	case *js.DotExpr:
		v, isVar := at.X.(*js.Var)
		return dotName(at) == "location" && isVar && (isGlobal(v) || string(v.Name()) == "document")
	}
	return false
}

// ends says whether nothing after a statement runs.
func (r *scriptReader) ends(s js.IStmt) bool {
	switch x := s.(type) {
	case *js.ReturnStmt, *js.ThrowStmt:
		return true
	case *js.BlockStmt:
		for _, inner := range x.List {
			if r.ends(inner) {
				return true
			}
		}
	case *js.IfStmt:
		switch r.truth(x.Cond) {
		case always:
			return r.ends(x.Body)
		case never:
			return x.Else != nil && r.ends(x.Else)
		}
	}
	return false
}

// byHand are events that only come when somebody does something, or the page is left.
var byHand = map[string]bool{"click": true, "dblclick": true, "auxclick": true, "contextmenu": true, "mousedown": true,
	"mouseup": true, "mousemove": true, "mouseover": true,
	"mouseout": true, "mouseenter": true, "mouseleave": true, "pointerdown": true, "pointerup": true, "pointermove": true,
	"pointerover": true, "pointerenter": true, "pointerleave": true,
	"touchstart": true, "touchend": true, "touchmove": true, "touchcancel": true, "keydown": true, "keyup": true,
	"keypress": true, "input": true, "beforeinput": true, "change": true, "submit": true,
	"reset": true, "focus": true, "blur": true, "focusin": true, "focusout": true, "scroll": true, "wheel": true,
	"drag": true, "dragstart": true, "dragend": true, "dragover": true, "drop": true,
	"copy": true, "cut": true, "paste": true, "select": true, "toggle": true, "resize": true, "hashchange": true,
	"popstate": true, "beforeunload": true, "unload": true, "pagehide": true,
	"offline": true, "online": true, "beforeinstallprompt": true, "appinstalled": true, "beforeprint": true, "play": true,
	"ended": true}

// listensFor gives the event that a call of addEventListener lays a function down for.
func (r *scriptReader) listensFor(x *js.CallExpr) string {
	name := ""
	switch callee := x.X.(type) {
	case *js.DotExpr:
		name = dotName(callee)
	case *js.Var:
		name = string(callee.Name())
	}
	if name != "addEventListener" || len(x.Args.List) < 2 {
		return ""
	}
	event, _ := r.literal(x.Args.List[0].Value)
	return event
}

// idleProperty says whether an assignment lays a function down for an event of byHand, to a property such as onclick.
func idleProperty(e js.IExpr) bool {
	name := ""
	switch x := e.(type) {
	case *js.DotExpr:
		name = dotName(x)
	case *js.Var:
		name = string(x.Name())
	}
	event, ok := strings.CutPrefix(name, "on")
	return ok && byHand[event]
}
