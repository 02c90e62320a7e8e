package serviceworker

import (
	whatwg "github.com/nlnwa/whatwg-url/url"
)

// jobType says what a job does (Service Workers, 2.7).
type jobType int

const (
	registerJob jobType = iota
	updateJob
	unregisterJob
)

// job is a change of a registration that waits for its turn (Service Workers, 2.7: job). Its promise is settled by calling all of
// settle.
type job struct {
	kind           jobType
	scope          string
	script         *whatwg.Url
	workerType     string
	updateViaCache string
	// registration is the one that an update is about.
	registration *Registration
	// byBrowser is set for an update check that the browser started, not a script.
	byBrowser bool
	settle    []func(error)
	settled   bool
}

// createJob is "Create Job" (Service Workers); promise is told when the job's promise settles.
func createJob(kind jobType, scope string, script *whatwg.Url, promise func(error)) *job {
	return &job{kind: kind, scope: scope, script: script, settle: []func(error){promise}}
}

// equivalentTo says whether two jobs do the same (Service Workers, 2.7: equivalent).
func (j *job) equivalentTo(o *job) bool {
	if j.kind != o.kind || j.scope != o.scope {
		return false
	}
	switch j.kind {
	case registerJob:
		return j.script.Href(false) == o.script.Href(false) && j.workerType == o.workerType && j.updateViaCache == o.updateViaCache
	case updateJob:
		return j.registration == o.registration && j.script.Href(false) == o.script.Href(false)
	}
	return true
}

// scheduleJob is "Schedule Job" (Service Workers): jobs of a scope run one after the other, those that do the same as one.
func (s *Container) scheduleJob(j *job) {
	if s.queue == nil {
		s.queue = map[string][]*job{}
	}
	queue := s.queue[j.scope]
	if n := len(queue); n > 0 && queue[n-1].equivalentTo(j) && !queue[n-1].settled {
		last := queue[n-1]
		last.settle = append(last.settle, j.settle...)
		last.byBrowser = last.byBrowser && j.byBrowser
		return
	}
	s.queue[j.scope] = append(queue, j)
	if len(queue) == 0 {
		s.runJob(j.scope)
	}
}

// runJob is "Run Job" (Service Workers).
func (s *Container) runJob(scope string) {
	s.clock().After(0, func() {
		j := s.queue[scope][0]
		switch j.kind {
		case registerJob:
			s.register(j)
		case updateJob:
			s.update(j)
		case unregisterJob:
			s.unregister(j)
		}
	})
}

// finishJob is "Finish Job" (Service Workers).
func (s *Container) finishJob(j *job) {
	s.queue[j.scope] = s.queue[j.scope][1:]
	if len(s.queue[j.scope]) > 0 {
		s.runJob(j.scope)
	}
}

// resolveJobPromise is "Resolve Job Promise" (Service Workers).
func (j *job) resolveJobPromise() { j.settleWith(nil) }

// rejectJobPromise is "Reject Job Promise" (Service Workers).
func (j *job) rejectJobPromise(err error) { j.settleWith(err) }

func (j *job) settleWith(err error) {
	if j.settled {
		return
	}
	j.settled = true
	for _, told := range j.settle {
		told(err)
	}
}
