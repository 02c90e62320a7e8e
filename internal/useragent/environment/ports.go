package environment

import (
	"encoding/json"

	"tachyform/internal/useragent/serviceworker"
	"tachyform/internal/useragent/storage"
)

// keptMessage is a message as it crosses: a serialized value, and what was transferred with it.
type keptMessage struct {
	keptValue
	Moved []keptMoved `json:"moved"`
}

// keptMoved is a buffer, by its content's number, or a port, by its own.
type keptMoved struct {
	Buffer int    `json:"buffer,omitempty"`
	Name   string `json:"name,omitempty"`
	Port   int    `json:"port,omitempty"`
}

// messageFrom takes a message out of the realm, messageInto lets the realm have one.
func (r *Realm) messageFrom(k keptMessage) serviceworker.Message {
	m := serviceworker.Message{Value: r.valueFrom(k.keptValue)}
	for _, moved := range k.Moved {
		if moved.Port != 0 {
			m.Moved = append(m.Moved, serviceworker.Moved{Name: moved.Name, Port: moved.Port})
		} else {
			buffers := r.valueFrom(keptValue{Buffers: []int{moved.Buffer}}).Buffers
			m.Moved = append(m.Moved, serviceworker.Moved{Buffer: buffers[0]})
		}
	}
	return m
}

func (r *Realm) messageInto(m serviceworker.Message) keptMessage {
	k := keptMessage{keptValue: r.valueInto(m.Value), Moved: []keptMoved{}}
	for _, moved := range m.Moved {
		if moved.Buffer == nil {
			k.Moved = append(k.Moved, keptMoved{Name: moved.Name, Port: moved.Port})
			continue
		}
		k.Moved = append(k.Moved, keptMoved{Buffer: r.hold(body{body: moved.Buffer})})
	}
	return k
}

// portOperations join message ports whose ends lie in different realms (HTML, 9.4).
var portOperations = operations{
	"port.open": touching(func(r *Realm, _ arguments) (any, error) {
		a, b := r.p.store().Ports.Open()
		return toJSON([]int{a, b}), nil
	}),
	"port.bind": touching(func(r *Realm, args arguments) (any, error) {
		id := args.number(0)
		r.p.store().Ports.Bind(id, func(m storage.PortMessage) {
			r.command("portMessage", id, toJSON(r.messageInto(m.(serviceworker.Message))))
		})
		return nil, nil
	}),
	"port.post": touching(func(r *Realm, args arguments) (any, error) {
		var kept keptMessage
		if err := json.Unmarshal([]byte(args.text(1)), &kept); err != nil {
			return nil, err
		}
		r.p.store().Ports.Post(args.number(0), r.messageFrom(kept))
		return nil, nil
	}),
}
