package document

import "encoding/json"

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
	// Press is a press on the Pressable whose Key is On.
	Press ActionKind = "press"
)

// Action is something that a person does with a page: On is a selector or a visible text, Text what is typed or chosen.
type Action struct {
	Kind     ActionKind
	On, Text string
}

// Pressable is a button, tab, menu entry, summary or dialog opener that a page shows.
type Pressable struct {
	// Key finds it again on the same page, or one that is like it.
	Key string
	// Shape is the same for those at like places with the same script.
	Shape string
	// Name is what persons and helpers call it, shortened.
	Name string
}

// pressables lists what can be pressed on a page: at most 20, of those with the same Shape the first. Buttons that send forms are left out, and what
// the page marks with data-tachyform-press="no".
func (c *window) pressables() (list []Pressable) {
	text, _ := c.command("pressable").(string)
	var rows [][3]string
	if text != "" && json.Unmarshal([]byte(text), &rows) == nil {
		for _, r := range rows {
			list = append(list, Pressable{r[0], r[1], r[2]})
		}
	}
	return list
}

// NothingThere is what Act says where nothing fits a click.
const NothingThere = "nothing"

// Act lets a person do something on the page that a tab shows. It gives why that could not be done, "" where it was.
func (w *Windows) Act(t *Tab, a Action) (wrong string) {
	c := t.window
	if c == nil || !c.runs() {
		return "the page runs no scripts, so nothing can be done on it"
	}
	t.trail, t.moves = nil, 0
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
