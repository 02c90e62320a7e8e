package document

// ActionKind is what a person does with a page.
type ActionKind string

// What that may be.
const (
	Click  ActionKind = "click"
	Type   ActionKind = "type"
	Choose ActionKind = "choose"
	Submit ActionKind = "submit"
	// Follow is a click on the first link that is shown and leads to the address On.
	Follow ActionKind = "follow"
)

// Action is something that a person does with a page: On is a selector or a visible text, Text what is typed or chosen.
type Action struct {
	Kind     ActionKind
	On, Text string
}

// NothingThere is what Act says where nothing fits a click.
const NothingThere = "nothing"

// Act lets a person do something on the page that a tab shows. It gives why that could not be done, "" where it was.
func (w *Windows) Act(t *Tab, a Action) (wrong string) {
	c := t.window
	if c == nil || !c.runs() {
		return "the page runs no scripts, so nothing can be done on it"
	}
	t.trail, t.moved = nil, 0
	wrong, ok := c.command("act", string(a.Kind), a.On, a.Text).(string)
	if !ok {
		return "the page's scripts were stopped"
	}
	if shown := t.window; shown != nil {
		shown.draw()
	}
	t.Take()
	return wrong
}

// StoredItem gives a value of the local storage of the page that a tab shows, and whether it is there.
func (w *Windows) StoredItem(t *Tab, key string) (string, bool) {
	return w.Workers.Store.Web.Local(t.window.origin()).Get(key)
}
