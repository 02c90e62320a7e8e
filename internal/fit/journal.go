package fit

import (
	"crypto/rand"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"time"

	"golang.org/x/sync/errgroup"
)

// A journal is a folder below the state folder: journal.json, the files as they were (old/N) and as they become
// (new/N). It is complete before the first file of the site is touched, so that whoever comes after a crash can finish
// the work or take it back. It may have come with somebody else's project, so nothing in it is believed that could
// lead outside of the site it names.

// States of a journal.
const (
	applying = "applying"
	applied  = "applied"
	undoing  = "undoing"
)

const (
	journalsName = "journal" // the folder of journals in the state folder
	journalName  = "journal.json"
	// unfinished ends the names of journals that were never completed, or whose removal was cut off.
	unfinished = ".part"
)

type journal struct {
	State string `json:"state"`
	// Site is relative to the folder that the state folder lies in, so that a project can be moved.
	Site    string         `json:"site"`
	Entries []journalEntry `json:"entries"`
	// Folders were made for the entries, outermost first; undo removes those that are empty.
	Folders []string `json:"folders,omitempty"`
	// Head lists the lines that pages' heads were to hold.
	Head []string `json:"head,omitempty"`
	// Token makes the names of temporary files unlike any other.
	Token string `json:"token,omitempty"`
	// Applied is when all files were written. Cut tells of an undo that some of the files were made anew after that.
	Applied time.Time `json:"applied,omitzero"`
	Cut     bool      `json:"cut,omitempty"`

	state  tree
	dir    string // below the state folder
	number int
}

type journalEntry struct {
	Path string `json:"path"` // relative to the site, with forward slashes
	// Before is the SHA-256 of the file as it was, "" when there was none; After that of the file as it became.
	Before string      `json:"before"`
	After  string      `json:"after"`
	Mode   fs.FileMode `json:"mode"`
	// Since is when the file as it was had been written, zero when there was none.
	Since time.Time `json:"since,omitzero"`
}

// Stray is something in the folder of journals that is none. It is passed over.
type Stray struct {
	Name   string // relative to the state folder
	Reason error
}

// journalsIn reads all journals of a state folder, oldest first, and what lies beside them.
func journalsIn(state tree) (list []*journal, strays []Stray, err error) {
	dir, err := state.Open(journalsName)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil, nil
	}
	if err != nil {
		return nil, nil, err
	}
	defer dir.Close()
	entries, err := dir.ReadDir(-1)
	if err != nil {
		return nil, nil, err
	}
	for _, e := range entries {
		name := path.Join(journalsName, e.Name())
		if e.IsDir() && strings.HasSuffix(e.Name(), unfinished) {
			continue
		}
		j, err := readJournal(state, name)
		switch {
		case errors.Is(err, fs.ErrPermission), errors.Is(err, syscall.EIO):
			return nil, nil, err
		case err != nil:
			strays = append(strays, Stray{name, err})
		default:
			list = append(list, j)
		}
	}
	slices.SortFunc(list, func(a, b *journal) int { return a.number - b.number })
	slices.SortFunc(strays, func(a, b Stray) int { return strings.Compare(a.Name, b.Name) })
	return list, strays, nil
}

func readJournal(state tree, dir string) (*journal, error) {
	number, err := strconv.Atoi(path.Base(dir))
	if err != nil || number < 1 {
		return nil, errors.New("its name is no number")
	}
	text, err := state.read(path.Join(dir, journalName))
	if err != nil {
		return nil, err
	}
	j := &journal{state: state, dir: dir, number: number}
	if err := json.Unmarshal(text, j); err != nil {
		return nil, err
	}
	return j, j.check()
}

// check refuses what no run of ours wrote, above all names that lead out of the site.
func (j *journal) check() error {
	local := func(name string) bool {
		return name != "." && filepath.IsLocal(filepath.FromSlash(name)) && path.Clean(name) == name &&
			!strings.Contains(name, "\x00")
	}
	if !slices.Contains([]string{applying, applied, undoing}, j.State) {
		return fmt.Errorf("%q is no state of a journal", j.State)
	}
	if _, err := hex.DecodeString(j.Token); err != nil || len(j.Token) > 32 {
		return errors.New("its token was not made here")
	}
	for i, e := range j.Entries {
		if !local(e.Path) {
			return fmt.Errorf("%q leads out of the site", e.Path)
		}
		if e.Before != absent && !isDigest(e.Before) || !isDigest(e.After) {
			return fmt.Errorf("entry %d has no digests", i)
		}
		j.Entries[i].Mode &= fs.ModePerm
	}
	for _, f := range j.Folders {
		if !local(f) {
			return fmt.Errorf("%q leads out of the site", f)
		}
	}
	return nil
}

// of says whether the journal is one of a site, by the site's path relative to the folder of the state folder.
func (j *journal) of(site string) bool { return path.Clean(j.Site) == site }

// relativeSite is a site's path relative to the folder that the state folder lies in, with forward slashes.
func relativeSite(state, site string) (string, error) {
	from, err := filepath.Abs(filepath.Dir(state))
	if err != nil {
		return "", err
	}
	to, err := filepath.Abs(site)
	if err != nil {
		return "", err
	}
	rel, err := filepath.Rel(from, to)
	return filepath.ToSlash(rel), err
}

// atOnce does several pieces of work at a time: most of it is waiting for the disk. The first error ends it, after
// what is under way.
func atOnce(n int, do func(i int) error) error {
	var g errgroup.Group
	g.SetLimit(16)
	var failed atomic.Bool
	for i := range n {
		if failed.Load() {
			break
		}
		g.Go(func() error {
			err := do(i)
			if err != nil {
				failed.Store(true)
			}
			return err
		})
	}
	return g.Wait()
}

func newToken() string {
	b := make([]byte, 5)
	_, _ = rand.Read(b) // it never fails
	return hex.EncodeToString(b)
}

// begin writes a complete journal for the changes of a site, with the number that is given.
func begin(state, site tree, name string, number int, changes []Change, head []string) (j *journal, err error) {
	final := path.Join(journalsName, fmt.Sprintf("%06d", number))
	j = &journal{State: applying, Site: name, Head: head, Token: newToken(), state: state, dir: final + unfinished,
		number: number}
	defer func() {
		if err != nil {
			// What a full disk cut off takes no more room, and nobody goes on with it.
			err = errors.Join(err, state.RemoveAll(final+unfinished), state.RemoveAll(final))
		}
	}()
	if err := state.MkdirAll(j.dir, 0o755); err != nil {
		return nil, err
	}
	j.Entries = make([]journalEntry, len(changes))
	err = atOnce(len(changes), func(i int) error {
		c := changes[i]
		e := journalEntry{Path: c.Path, After: digest(c.New), Mode: 0o644}
		if c.Old != nil {
			e.Before = digest(c.Old)
			if info, err := site.Lstat(c.Path); err == nil {
				e.Mode, e.Since = info.Mode().Perm(), info.ModTime()
			}
			if err := state.create(j.old(i), c.Old, 0o644); err != nil {
				return err
			}
		}
		j.Entries[i] = e
		return state.create(j.new(i), c.New, 0o644)
	})
	if err != nil {
		return nil, err
	}
	made := map[string]bool{}
	for _, c := range changes {
		var missing []string
		for dir := path.Dir(c.Path); dir != "."; dir = path.Dir(dir) {
			if _, err := site.Stat(dir); err == nil || made[dir] {
				break
			}
			made[dir] = true
			missing = append(missing, dir)
		}
		slices.Reverse(missing)
		j.Folders = append(j.Folders, missing...)
	}
	if err := j.save(); err != nil {
		return nil, err
	}
	if err := state.Rename(j.dir, final); err != nil {
		return nil, err
	}
	j.dir = final
	return j, state.sync(journalsName)
}

func (j *journal) old(i int) string { return path.Join(j.dir, "old", strconv.Itoa(i)) }
func (j *journal) new(i int) string { return path.Join(j.dir, "new", strconv.Itoa(i)) }

// temporary is the name that an entry's content is first written under. It is short: a page's own name may be as long
// as names can be.
func (j *journal) temporary(i int) string { return fmt.Sprintf(".tachyform-%s-%d", j.Token, i) }

func (j *journal) save() error {
	text, err := json.MarshalIndent(j, "", " ")
	if err != nil {
		return err
	}
	temporary := path.Join(j.dir, journalName+"."+newToken())
	if err := j.state.create(temporary, text, 0o644); err != nil {
		return err
	}
	if err := j.state.Rename(temporary, path.Join(j.dir, journalName)); err != nil {
		return errors.Join(err, j.state.Remove(temporary))
	}
	return nil
}

// errContent says that a stored file is not the one that the journal speaks of.
type errContent struct{ name string }

func (e errContent) Error() string { return e.name + " is not what the journal says of it" }

// content reads a stored file and makes sure that it is the one the entry speaks of.
func (j *journal) content(name, want string) ([]byte, error) {
	content, err := j.state.read(name)
	if errors.Is(err, fs.ErrPermission) || errors.Is(err, syscall.EIO) {
		return nil, err
	}
	if err != nil || digest(content) != want {
		return nil, errContent{name}
	}
	return content, nil
}

// standing tells what became of an entry's file.
type standing int

const (
	asBefore standing = iota
	asAfter
	otherwise // somebody else's: it may not be touched
)

func (j *journal) standing(site tree, e journalEntry) (standing, error) {
	now, err := site.digestAt(e.Path)
	switch {
	case err != nil:
		return otherwise, err
	case now == e.After:
		return asAfter, nil
	case now == e.Before:
		return asBefore, nil
	}
	return otherwise, nil
}

// untouched says whether every file is as the journal knows it, before or after.
func (j *journal) untouched(site tree) (bool, error) {
	for _, e := range j.Entries {
		s, err := j.standing(site, e)
		if s == otherwise || err != nil {
			return false, err
		}
	}
	return true, nil
}

// forward brings every file to its new content. Running it again after a crash goes on where it stopped. A file that
// is neither as before nor as after ends it with an error.
func (j *journal) forward(site tree) error {
	for _, f := range j.Folders {
		if err := site.MkdirAll(f, 0o755); err != nil {
			return err
		}
	}
	err := atOnce(len(j.Entries), func(i int) error {
		e := j.Entries[i]
		s, err := j.standing(site, e)
		if err == nil && s == otherwise {
			err = errChanged{e.Path}
		}
		if err != nil {
			return err
		}
		content, err := j.content(j.new(i), e.After)
		if err != nil {
			return err
		}
		site.removePart(path.Join(path.Dir(e.Path), j.temporary(i)), content)
		if s == asAfter {
			return nil
		}
		return site.exchange(e.Path, j.temporary(i), e.Before, content, e.Mode)
	})
	if err != nil {
		return err
	}
	j.State, j.Applied = applied, time.Now()
	return j.save()
}

// backward brings every file that is as the journal left it back to its old content, and removes the journal. It gives
// the files that it brought back, and those that are somebody else's by now and stay as they are.
func (j *journal) backward(site tree) (restored, left []string, err error) {
	became := make([]ending, len(j.Entries))
	err = atOnce(len(j.Entries), func(i int) (err error) {
		became[i], err = j.entryBackward(site, i)
		return err
	})
	for i, e := range j.Entries {
		switch became[i] {
		case broughtBack:
			restored = append(restored, e.Path)
		case leftAlone:
			left = append(left, e.Path)
		}
	}
	if err != nil {
		return restored, left, err
	}
	for _, f := range slices.Backward(j.Folders) {
		_ = site.Remove(f) // stays when something else is in it
	}
	return restored, left, j.drop()
}

// ending is what bringing one file back came to.
type ending int

const (
	asItWas ending = iota
	broughtBack
	leftAlone
)

func (j *journal) entryBackward(site tree, i int) (ending, error) {
	e := j.Entries[i]
	s, err := j.standing(site, e)
	if err != nil {
		return asItWas, err
	}
	temporary := path.Join(path.Dir(e.Path), j.temporary(i))
	if content, err := j.state.read(j.new(i)); err == nil {
		site.removePart(temporary, content)
	}
	var content []byte
	lost := false
	if e.Before != absent {
		content, err = j.content(j.old(i), e.Before)
		if lost = errors.As(err, new(errContent)); err != nil && !lost {
			return asItWas, err
		}
		site.removePart(temporary, content)
	}
	switch {
	case s == asBefore:
		return asItWas, nil
	case s == otherwise, lost, e.Before == absent && j.madeAnew(site, e):
		return leftAlone, nil
	case e.Before == absent:
		err = site.Remove(e.Path)
	default:
		if err = site.exchange(e.Path, j.temporary(i), e.After, content, e.Mode); err == nil && !e.Since.IsZero() {
			// As old as it was: an older journal tells by that whether a build has made the file anew.
			_ = site.Chtimes(e.Path, e.Since, e.Since)
		}
	}
	switch {
	case errors.As(err, new(errChanged)):
		return leftAlone, nil
	case err != nil && !errors.Is(err, fs.ErrNotExist):
		return asItWas, err
	}
	return broughtBack, nil
}

// madeAnew says of a file that the journal created and that has its bytes whether a build wrote it again since: where
// other files were made anew, one that is younger than the fit belongs to the build too, and stays.
func (j *journal) madeAnew(site tree, e journalEntry) bool {
	if !j.Cut || j.Applied.IsZero() {
		return false
	}
	info, err := site.Lstat(e.Path)
	return err == nil && info.ModTime().After(j.Applied.Add(time.Second))
}

// drop removes the journal as one step: the folder is renamed to a name that counts as unfinished, then removed.
func (j *journal) drop() error {
	gone := j.dir + unfinished
	if err := j.state.RemoveAll(gone); err != nil { // a name of our own, left by a removal that was cut off
		return err
	}
	if err := j.state.Rename(j.dir, gone); err != nil {
		return err
	}
	return j.state.RemoveAll(gone)
}
