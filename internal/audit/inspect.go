package audit

import (
	"context"
	"encoding/json"

	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
)

// Inspection is what a browser stores for a site after the visits.
type Inspection struct {
	Profile rehearsal.Profile
	// Events are those of the visits, or of a delivered event.
	Events []PlanEvent
	// Delivered is false if there is no active worker for the event.
	Delivered bool
}

// Inspect makes the visits in the embedded user agent, and then, if event is not "", delivers one to the worker: push, sync or message
// with a text. The text of a message is JSON, or else a string.
func Inspect(ctx context.Context, in Input, event, text string) (*Inspection, error) {
	a := newAuditor(ctx, in)
	d := rehearsal.NewEmbedded(ctx, append([]site.Host{in.Host}, in.Others...), useragent.Options{Kind: in.Kind, HTTPCache: true, Reader: a.reader, HostKnows: a.hostKnows()})
	defer d.End()
	for _, v := range in.Visits() {
		d.Open("", v)
	}
	first := 0
	out := &Inspection{Delivered: true}
	if event != "" {
		first = len(d.Events())
		out.Delivered = d.Deliver(event, detailOf(event, text))
	}
	for _, e := range d.Events()[first:] {
		out.Events = append(out.Events, a.planEvent(e))
	}
	out.Profile = d.Profile()
	return out, ctx.Err()
}

// detailOf returns the detail of an event with a text.
func detailOf(event, text string) map[string]any {
	switch event {
	case "sync":
		return map[string]any{"tag": text}
	case "message":
		var data any
		if json.Unmarshal([]byte(text), &data) != nil {
			data = text
		}
		return map[string]any{"data": data}
	}
	return map[string]any{"data": text}
}
