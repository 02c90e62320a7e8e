package markup

import "golang.org/x/net/html/atom"

func atomOf(name string) atom.Atom { return atom.Lookup([]byte(name)) }
