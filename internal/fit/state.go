package fit

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gofrs/flock"

	"tachyform/internal/problem"
	"tachyform/internal/project"
)

// StateDir is where journals and originals of a project are kept.
func StateDir(p *project.Project, siteDir string) string {
	if p.Path != "" {
		return filepath.Join(p.Dir, project.StateDir)
	}
	return filepath.Join(filepath.Dir(filepath.Clean(siteDir)), project.StateDir)
}

// State is a project's state folder in the hands of one process: whoever writes into the site, recovers or undoes
// holds it, and everybody else waits. The system takes it back when the process ends, however it ends.
type State struct {
	dir  string
	root tree
	lock *flock.Flock
}

const (
	lockName = "lock"
	// lockWait is how long a second process waits for the first.
	lockWait = 10 * time.Second
	lockPoll = 25 * time.Millisecond
)

// OpenState takes the state folder of a project, which is made where there is none; command is what is told to others
// meanwhile. A second process waits some seconds, then gets a problem that says who holds it.
func OpenState(ctx context.Context, dir, command string) (*State, error) {
	if info, err := os.Lstat(dir); err == nil && info.Mode()&fs.ModeSymlink != 0 {
		return nil, &problem.Problem{Kind: problem.Write, Where: dir,
			What: "the folder of journals and originals is a symbolic link, which may lead anywhere",
			Mend: "put a folder in its place"}
	}
	s := &State{dir: dir}
	if err := s.take(ctx, command); err != nil {
		if s.root.Root != nil {
			s.root.Close()
		}
		return nil, err
	}
	return s, nil
}

// open opens the folder, and makes it where there is none. Another process may have removed it since.
func (s *State) open() error {
	if s.root.Root != nil {
		opened, err1 := s.root.Stat(".")
		named, err2 := os.Lstat(s.dir)
		if err1 == nil && err2 == nil && os.SameFile(opened, named) {
			return nil
		}
		s.root.Close()
		s.root = tree{}
	}
	err := os.MkdirAll(s.dir, 0o755)
	if err == nil {
		s.root, err = openTree(s.dir)
	}
	if err != nil {
		return writeProblem(s.dir, "the folder of journals cannot be made; the site is untouched", err)
	}
	return nil
}

func (s *State) take(ctx context.Context, command string) error {
	until := time.Now().Add(lockWait)
	for {
		if err := s.open(); err != nil {
			return err
		}
		// The file may have been removed and made anew meanwhile: only a lock on the file that bears the name counts.
		if err := s.root.checkTarget(lockName); err != nil {
			return writeProblem(filepath.Join(s.dir, lockName), "the lock cannot be taken", err)
		}
		lock := flock.New(filepath.Join(s.dir, lockName), flock.SetFlag(os.O_CREATE|os.O_RDWR), flock.SetPermissions(0o644))
		held, err := lock.TryLock()
		if errors.Is(err, fs.ErrNotExist) {
			continue // the folder was removed in this very moment
		}
		if err != nil {
			return writeProblem(filepath.Join(s.dir, lockName), "the lock cannot be taken", err)
		}
		if held {
			ours, err1 := lock.Stat()
			named, err2 := s.root.Lstat(lockName)
			if err1 == nil && err2 == nil && os.SameFile(ours, named) {
				s.lock = lock
				// Who holds it is only told to people; the lock itself is the system's.
				_ = os.WriteFile(lock.Path(), fmt.Appendf(nil, "%d %s\n", os.Getpid(), command), 0o644)
				return nil
			}
		}
		_ = lock.Close()
		if time.Now().After(until) {
			return s.held()
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(lockPoll):
		}
	}
}

// held is the problem of a state folder that another process holds.
func (s *State) held() error {
	who := "another run of the program"
	if text, err := s.root.read(lockName); err == nil {
		if pid, command, ok := strings.Cut(strings.TrimSpace(string(text)), " "); ok {
			if _, err := strconv.Atoi(pid); err == nil {
				who = fmt.Sprintf("tachyform %s (process %s)", command, pid)
			}
		}
	}
	return &problem.Problem{Kind: problem.Write, Where: s.dir, What: fmt.Sprintf("%s is writing into the site; "+
		"nothing was touched after waiting %d seconds", who, int(lockWait.Seconds())),
		Mend: "run this again when it has ended"}
}

// Close lets others have the state folder. One in which nothing was kept goes again; who waits for its lock makes it
// anew.
func (s *State) Close() error {
	if dir, err := s.root.Open("."); err == nil {
		names, err := dir.Readdirnames(-1)
		dir.Close()
		if err == nil && slices.Equal(names, []string{lockName}) && s.root.Remove(lockName) == nil {
			_ = os.Remove(s.dir) // stays when somebody else put something there
		}
	}
	_ = s.lock.Close() // the system lets go of it at the latest when the process ends
	return s.root.Close()
}

// Recovered is what was done about a fit or an undo that an earlier process was killed in the middle of.
type Recovered struct {
	// Undo tells that it was an undo. Finished tells that it was brought to its end; else the fit was taken back, since
	// the site was made anew meanwhile.
	Undo, Finished bool
	// Left lists files that are neither as the fit found them nor as it left them: they stay as they are.
	Left []string
}

// Recovery is all that was found of earlier runs.
type Recovery struct {
	Runs   []Recovered
	Strays []Stray
}

// openSite opens the site's folder for writing.
func openSite(dir string) (tree, error) {
	site, err := openTree(dir)
	if err != nil {
		return tree{}, &problem.Problem{Kind: problem.Read, Where: dir, What: "the folder cannot be opened: " + plain(err),
			Cause: err}
	}
	return site, nil
}

// journalsOf reads the journals of one site, oldest first.
func (s *State) journalsOf(site string) ([]*journal, []Stray, error) {
	rel, err := relativeSite(s.dir, site)
	if err != nil {
		return nil, nil, err
	}
	list, strays, err := journalsIn(s.root)
	if err != nil {
		return nil, nil, writeProblem(s.dir, "the journals cannot be read; the site is untouched", err)
	}
	return slices.DeleteFunc(list, func(j *journal) bool { return !j.of(rel) }), strays, nil
}

// Recover deals with what an earlier run was killed in the middle of. A file is touched only while it is byte for byte
// as the journal knows it. If all of them are, the work is finished; where a build made files anew, the fit is taken
// back from the others.
func (s *State) Recover(dir string) (Recovery, error) {
	if err := s.clean(); err != nil {
		return Recovery{}, writeProblem(s.dir, "what an earlier run left cannot be removed", err)
	}
	list, strays, err := s.journalsOf(dir)
	result := Recovery{Strays: strays}
	if err != nil {
		return result, err
	}
	list = slices.DeleteFunc(list, func(j *journal) bool { return j.State == applied })
	if len(list) == 0 {
		return result, nil
	}
	site, err := openSite(dir)
	if err != nil {
		return result, err
	}
	defer site.Close()
	for _, j := range slices.Backward(list) {
		run := Recovered{Undo: j.State == undoing, Finished: true}
		if j.State == applying {
			if run.Finished, err = j.untouched(site); err != nil {
				return result, writeProblem(dir, "an interrupted fit could not be finished", err)
			}
		}
		if j.State == applying && run.Finished {
			err = j.forward(site)
			run.Finished = !errors.As(err, new(errContent)) && !errors.As(err, new(errChanged))
		}
		if !run.Finished || run.Undo {
			_, run.Left, err = j.backward(site)
		}
		if err != nil {
			return result, writeProblem(dir, "what an earlier run was interrupted in could not be finished", err)
		}
		result.Runs = append(result.Runs, run)
	}
	return result, nil
}

// clean removes journals that were never completed, for which nothing of the site was touched, and those whose removal
// was cut off.
func (s *State) clean() error {
	dir, err := s.root.Open(journalsName)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	defer dir.Close()
	entries, err := dir.ReadDir(-1)
	for _, e := range entries {
		number, cut := strings.CutSuffix(e.Name(), unfinished)
		if _, isNumber := strconv.Atoi(number); err == nil && e.IsDir() && cut && isNumber == nil {
			err = s.root.RemoveAll(path.Join(journalsName, e.Name()))
		}
	}
	return err
}

// nextNumber is one that no journal bears, whosever it is.
func (s *State) nextNumber() (int, error) {
	highest := 0
	dir, err := s.root.Open(journalsName)
	if err == nil {
		defer dir.Close()
		var names []string
		names, err = dir.Readdirnames(-1)
		for _, name := range names {
			if n, err := strconv.Atoi(strings.TrimSuffix(name, unfinished)); err == nil {
				highest = max(highest, n)
			}
		}
	}
	if errors.Is(err, fs.ErrNotExist) {
		err = nil
	}
	return highest + 1, err
}

// Apply writes the changes of a plan: all of them, or none.
func (s *State) Apply(ctx context.Context, p *Plan) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	if err := p.writeBeside(); err != nil || len(p.Changes) == 0 {
		return err
	}
	site, err := openSite(p.Site)
	if err != nil {
		return err
	}
	defer site.Close()
	for _, c := range p.Changes {
		if err := site.checkTarget(c.Path); err != nil {
			return &problem.Problem{Kind: problem.Write, Where: filepath.Join(p.Site, c.Path),
				What: err.Error() + "; nothing was written", Mend: "put a file in its place, or choose another path in the " +
					"project file"}
		}
		now, err := site.digestAt(c.Path)
		if err != nil {
			return writeProblem(p.Site, "the site cannot be read", err)
		}
		before := absent
		if c.Old != nil {
			before = digest(c.Old)
		}
		if now != before {
			return &problem.Problem{Kind: problem.Write, Where: filepath.Join(p.Site, c.Path),
				What: "the file changed while the fit was being worked out; nothing was written",
				Mend: "wait until the build is through, then run fit again"}
		}
	}
	name, err := relativeSite(s.dir, p.Site)
	if err != nil {
		return err
	}
	number, err := s.nextNumber()
	var j *journal
	if err == nil {
		j, err = begin(s.root, site, name, number, p.Changes, p.Head.lines())
	}
	if err != nil {
		return writeProblem(s.dir, "the journal cannot be written; the site is untouched", err)
	}
	err = j.forward(site)
	if err == nil {
		return nil
	}
	_, left, back := j.backward(site)
	var changed errChanged
	switch {
	case back != nil:
		return writeProblem(p.Site, "writing failed and could not be taken back yet; tachyform undo takes it back",
			errors.Join(err, back))
	case errors.As(err, &changed), len(left) > 0:
		return &problem.Problem{Kind: problem.Write, Where: p.Site,
			What: "files changed while the fit was being written; it was taken back, and these are as whoever changed them " +
				"left them: " +
				listed(append(left, changed.name)), Mend: "wait until the build is through, then run fit again", Cause: err}
	}
	return writeProblem(p.Site, "writing failed; the site is as it was", err)
}

// Undone is what an undo came to.
type Undone struct {
	Recovery
	// Restored lists the files that were restored or removed, Left those of older fits that a build has made anew since.
	Restored, Left []string
}

// Undo takes back every fit from the files that are still as it left them, newest first. It refuses, and changes
// nothing, when somebody changed a file of the newest fit since.
func (s *State) Undo(dir string) (*Undone, error) {
	recovery, err := s.Recover(dir)
	result := &Undone{Recovery: recovery}
	if err != nil {
		return result, err
	}
	list, _, err := s.journalsOf(dir)
	if err != nil {
		return result, err
	}
	if len(list) == 0 {
		if len(recovery.Runs) > 0 {
			return result, nil // that was it
		}
		return result, &problem.Problem{Kind: problem.Usage, Where: dir,
			What: "there is nothing to undo: no fit of this site is on record in " + s.dir}
	}
	site, err := openSite(dir)
	if err != nil {
		return result, err
	}
	defer site.Close()
	expected := map[string]string{}
	for i, j := range slices.Backward(list) {
		var changed []string
		for _, e := range j.Entries {
			now, known := expected[e.Path]
			if !known {
				if now, err = site.digestAt(e.Path); err != nil {
					return result, writeProblem(filepath.Join(dir, e.Path), "the file cannot be read", err)
				}
			}
			if now != e.After {
				changed = append(changed, e.Path)
				expected[e.Path] = now
			} else {
				expected[e.Path] = e.Before
			}
		}
		if i == len(list)-1 && len(changed) > 0 {
			slices.Sort(changed)
			return result, &problem.Problem{Kind: problem.Write, Where: dir,
				What: fmt.Sprintf("nothing was undone, since %d of the files that fit wrote were changed afterwards: %s",
					len(changed), listed(changed)),
				Mend: "build the site again to get rid of what fit wrote, or put those files back first"}
		}
		j.Cut = len(changed) > 0
	}
	seen := map[string]bool{}
	for _, j := range slices.Backward(list) {
		j.State = undoing
		if err := j.save(); err != nil {
			return result, writeProblem(s.dir, "the journal cannot be written", err)
		}
		restored, left, err := j.backward(site)
		if err != nil {
			return result, writeProblem(dir, "the undo stopped half-way; run it again", err)
		}
		for _, path := range restored {
			if !seen[path] {
				seen[path] = true
				result.Restored = append(result.Restored, path)
			}
		}
		result.Left = append(result.Left, left...)
	}
	slices.Sort(result.Restored)
	slices.Sort(result.Left)
	result.Left = slices.DeleteFunc(slices.Compact(result.Left), func(path string) bool { return seen[path] })
	return result, nil
}

// WaitUntilFree waits while another process holds a state folder, so that nobody reads a half-fitted site. It makes
// nothing.
func WaitUntilFree(ctx context.Context, dir string) error {
	root, err := openTree(dir)
	if err != nil {
		return nil // nobody has ever fitted here
	}
	defer root.Close()
	if info, err := root.Lstat(lockName); err != nil || !info.Mode().IsRegular() {
		return nil
	}
	lock := flock.New(filepath.Join(dir, lockName), flock.SetFlag(os.O_RDONLY))
	defer lock.Close()
	_, err = lock.TryRLockContext(ctx, lockPoll)
	return err
}

func listed(paths []string) string {
	paths = slices.Compact(slices.Sorted(slices.Values(slices.DeleteFunc(slices.Clone(paths),
		func(p string) bool { return p == "" }))))
	if len(paths) > 5 {
		return strings.Join(paths[:5], ", ") + fmt.Sprintf(" and %d more", len(paths)-5)
	}
	return strings.Join(paths, ", ")
}

func writeProblem(where, what string, err error) error {
	return &problem.Problem{Kind: problem.Write, Where: where, What: what + ": " + plain(err),
		Mend: "check that the folder can be written to and the disk has room", Cause: err}
}

func plain(err error) string {
	var pe *fs.PathError
	if errors.As(err, &pe) {
		return pe.Path + ": " + pe.Err.Error()
	}
	return err.Error()
}
