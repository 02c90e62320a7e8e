package environment

import (
	"encoding/json"

	"tachyform/internal/useragent/fetch"
)

var fetchOperations = operations{"fetch": touching((*Realm).fetch)}

// fetch is the method of that name (Fetch, 5.6), once its request is made.
func (r *Realm) fetch(args arguments) (any, error) {
	id, s := args.number(0), r.p.Workers
	req, err := r.decodeRequest(args.text(1))
	if err != nil {
		return nil, err
	}
	failure := "TypeError: Failed to fetch " + req.URL
	came := func(resp *fetch.Response) {
		if resp == nil {
			r.settle(id, nil, failure)
			return
		}
		r.settle(id, r.encode(resp), "")
	}
	if r.page != nil {
		r.page.Fetch(req, came)
		return nil, nil
	}
	if r.w.IsNew() {
		r.w.Requests++
	}
	req.Client = r.w.Settings()
	s.Fetcher.Fetch(req, func(resp *fetch.Response, _ fetch.Error) { came(resp) })
	return nil, nil
}

// encode gives a response the form in which it crosses into the realm.
func (r *Realm) encode(resp *fetch.Response) *fetch.Response {
	if resp == nil {
		return nil
	}
	out := *resp
	if out.URLs == nil {
		out.URLs = []string{}
	}
	if resp.Internal != nil || resp.Body != nil {
		out.BodyHandle = r.hold(body{resp.Body, resp.Source, resp.Key, resp.Internal})
		out.Partial = resp.Internal != nil && resp.Internal.Status == 206
	}
	return &out
}

// decode reads a response that comes out of the realm.
func (r *Realm) decode(text string) (*fetch.Response, error) {
	var resp fetch.Response
	if err := json.Unmarshal([]byte(text), &resp); err != nil {
		return nil, err
	}
	h := r.bodies[resp.BodyHandle]
	resp.Body, resp.Source, resp.Key, resp.Internal = h.body, h.source, h.key, h.hidden
	if resp.Source.Kind == fetch.NoSource {
		resp.Source.Kind = fetch.WorkerSource
	}
	resp.BodyHandle = 0
	return &resp, nil
}

func (r *Realm) encodeRequest(req *fetch.Request) *fetch.Request {
	out := *req
	if req.Content != nil {
		out.BodyHandle = r.hold(body{body: req.Content})
	}
	if out.Header == nil {
		out.Header = [][2]string{}
	}
	return &out
}

func (r *Realm) decodeRequest(text string) (*fetch.Request, error) {
	var req fetch.Request
	if err := json.Unmarshal([]byte(text), &req); err != nil {
		return nil, err
	}
	req.Content, req.BodyHandle = r.bodies[req.BodyHandle].body, 0
	return &req, nil
}
