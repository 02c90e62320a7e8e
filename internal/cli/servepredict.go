package cli

import (
	"context"
	"sync"
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/rehearsal"
	"tachyform/internal/report"
	"tachyform/internal/request"
	"tachyform/internal/site"
)

// predictor says what the embedded user agent shows of pages, under the condition that the network is in. It works beside the server
// and keeps what it has found as long as the files stay as they are.
type predictor struct {
	ctx context.Context
	s   *serving

	mu      sync.Mutex
	known   map[[2]string]string // by path and condition; "" while it is worked on
	files   uint64
	checked time.Time
	waiting chan [2]string
}

// mostPredictions bounds how many wait to be worked on.
const mostPredictions = 64

func newPredictor(ctx context.Context, s *serving) *predictor {
	p := &predictor{ctx: ctx, s: s, known: map[[2]string]string{}, waiting: make(chan [2]string, mostPredictions)}
	go p.work()
	return p
}

// predict gives what is known; ok is false while it is worked on.
func (p *predictor) predict(path, condition string) (text string, ok bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if time.Since(p.checked) > time.Second {
		p.checked = time.Now()
		if now := fingerprintOf(p.s.folder, p.s.project.Path); now != p.files {
			p.files, p.known = now, map[[2]string]string{}
		}
	}
	key := [2]string{path, condition}
	text, asked := p.known[key]
	if !asked {
		select {
		case p.waiting <- key:
			p.known[key] = ""
		default:
		}
	}
	return text, text != ""
}

func (p *predictor) work() {
	for {
		select {
		case <-p.ctx.Done():
			return
		case key := <-p.waiting:
			text := p.trace(key[0], key[1])
			p.mu.Lock()
			p.known[key] = text
			p.mu.Unlock()
			p.s.server.Log.Touch()
		}
	}
}

// trace opens a page in the embedded user agent, after a visit that installs the worker.
func (p *predictor) trace(path, under string) string {
	c, _ := condition.Named(under)
	dir := p.s.folder
	if p.s.control.Deployed() {
		dir = p.s.next
	}
	f, err := openFolder(dir, p.s.project)
	if err != nil {
		return "not known: " + err.Error()
	}
	r := &rehearsal.Rehearsal{Hosts: []site.Host{f}, Conditions: []condition.Condition{c}}
	for _, v := range p.s.project.Audit.Visit {
		if u, ok := page.Resolve(f.Origin(), v); ok {
			r.Visit = append(r.Visit, u)
		}
	}
	if len(r.Visit) == 0 {
		r.Visit = []string{f.Origin() + p.s.project.Addr}
	}
	list, err := r.Trace(p.ctx, f.Origin()+path, request.Document)
	if err != nil || len(list) == 0 {
		return "not known"
	}
	return report.Predicted(list[0], f.Origin())
}
