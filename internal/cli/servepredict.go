package cli

import (
	"sync"
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/rehearsal"
	"tachyform/internal/report"
	"tachyform/internal/request"
	"tachyform/internal/site"
)

// predictor rehearses pages in the background and caches the results until a file of the site changes.
type predictor struct {
	*servedSite

	mu      sync.Mutex
	known   map[predictionOf]string // "" for a pending prediction
	files   uint64                  // fingerprint of the folders
	checked time.Time
	waiting chan predictionOf
}

// predictionOf identifies a prediction. files is the fingerprint of the folders that it applies to.
type predictionOf struct {
	path, condition string
	next            bool
	files           uint64
}

// mostPredictions is the maximum number of pending predictions.
const mostPredictions = 64

func newPredictor(s *servedSite) *predictor {
	r := &predictor{servedSite: s, known: map[predictionOf]string{}, waiting: make(chan predictionOf, mostPredictions)}
	go r.work()
	return r
}

// predict returns a cached prediction. ok is false if it is pending.
func (p *predictor) predict(path, condition string) (text string, ok bool) {
	next := p.deployed()
	p.mu.Lock()
	defer p.mu.Unlock()
	if time.Since(p.checked) > time.Second {
		p.checked = time.Now()
		now := uint64(0)
		for i := range p.folders {
			now = now*31 + p.fingerprint(i > 0)
		}
		if now != p.files {
			p.files, p.known = now, map[predictionOf]string{}
		}
	}
	key := predictionOf{path, condition, next, p.files}
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
			text := p.trace(key)
			p.mu.Lock()
			if key.files == p.files {
				p.known[key] = text
			}
			p.mu.Unlock()
			p.found()
		}
	}
}

// trace opens a page in the embedded user agent, after a visit that installs the worker.
func (p *predictor) trace(key predictionOf) string {
	c, _ := condition.Named(key.condition)
	in, err := p.input(key.next)
	if err != nil {
		return "unknown: " + err.Error()
	}
	r := &rehearsal.Rehearsal{Hosts: append([]site.Host{in.Host}, in.Others...), Conditions: []condition.Condition{c}, Visit: in.Visits()}
	list, err := r.Trace(p.ctx, in.Host.Origin()+key.path, request.Document)
	switch {
	case err != nil:
		return "unknown: " + err.Error()
	case len(list) == 0:
		return "unknown"
	}
	return report.Predicted(list[0], in.Host.Origin())
}
