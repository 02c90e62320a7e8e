package environment

import (
	_ "embed" // for the bytecode
	"fmt"
	"math/rand/v2"
	"runtime"
	"sync"
	"time"

	"tachyform/internal/script"
	"tachyform/internal/script/quickjs"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/serviceworker"
)

//go:generate go run ./bundle/generate

// workerCode is the bytecode of what service workers find, made of the sources in shared and worker.
//
//go:embed worker.bytecode
var workerCode []byte

// windowCode is that of what pages find, made of the sources in shared and window.
//
//go:embed window.bytecode
var windowCode []byte

// pooledEngine is an engine with the environment in it, and the state that it returns to for the next worker.
type pooledEngine struct {
	script.Engine
	fresh script.Mark
	pool  *enginePool
}

// enginePool holds engines of one environment that nobody uses, a few for each processor.
type enginePool struct {
	code []byte
	mu   sync.Mutex
	list []*pooledEngine
}

// mostHeld bounds the memory of an engine that is kept for others, in bytes; few pages ever need more.
const mostHeld = 96 << 20

var (
	workerEngines = &enginePool{code: workerCode}
	windowEngines = &enginePool{code: windowCode}
)

// UseCode replaces the bytecode of the environments "worker", "dedicated" and "window", for measurements that need line numbers in
// it. No engine may have been started before.
func UseCode(code map[string][]byte) {
	workerEngines.code, dedicatedEngines.code = code["worker"], code["dedicated"]
	windowEngines.code, windowCode = code["window"], code["window"]
}

// get gives an engine in which nothing has run but the environment.
func (p *enginePool) get() (*pooledEngine, error) {
	p.mu.Lock()
	n := len(p.list)
	if n > 0 {
		e := p.list[n-1]
		p.list = p.list[:n-1]
		p.mu.Unlock()
		e.Rewind(e.fresh)
		return e, nil
	}
	p.mu.Unlock()
	e, err := quickjs.New()
	if err != nil {
		return nil, err
	}
	if err := e.Install(p.code); err != nil {
		e.Close()
		return nil, fmt.Errorf("the environment does not start: %w", err)
	}
	return &pooledEngine{e, e.Mark(), p}, nil
}

// put takes an engine back.
func (p *enginePool) put(e *pooledEngine) {
	e.Surround(script.Surroundings{})
	p.mu.Lock()
	defer p.mu.Unlock()
	if !e.Broken() && len(p.list) < 2*runtime.GOMAXPROCS(0) && e.Held() < mostHeld {
		p.list = append(p.list, e)
	} else {
		e.Close()
	}
}

// WarmEngines keeps, for the branches of one browser, engines in which a worker's script has run already. A branch
// starts its worker from there when the script left nothing behind outside of the engine.
type WarmEngines struct {
	mu   sync.Mutex
	list map[warmKey][]*warmEngine
}

// warmKey tells starts apart that could differ.
type warmKey struct {
	worker *serviceworker.Worker // the one that the branches' workers are copies of
	state  account.State
	via    string
	now    time.Duration
}

type warmEngine struct {
	*pooledEngine
	key    warmKey
	mark   script.Mark
	random rand.PCG
	notes  []account.Note
	view   string // the registration as the script knows it
}

func (s *WarmEngines) get(key warmKey) *warmEngine {
	s.mu.Lock()
	defer s.mu.Unlock()
	n := len(s.list[key])
	if n == 0 {
		return nil
	}
	e := s.list[key][n-1]
	s.list[key] = s.list[key][:n-1]
	return e
}

func (s *WarmEngines) put(e *warmEngine) {
	e.Surround(script.Surroundings{})
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.list == nil {
		s.list = map[warmKey][]*warmEngine{}
	}
	s.list[e.key] = append(s.list[e.key], e)
}

// Drop gives all engines back.
func (s *WarmEngines) Drop() {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, list := range s.list {
		for _, e := range list {
			e.pool.put(e.pooledEngine)
		}
	}
	s.list = nil
}
