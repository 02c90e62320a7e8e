package fit

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"tachyform/internal/problem"
)

// A journal is a folder under the state folder: journal.json, the files as they were (old/N) and as they become (new/N).
// It is complete before the first file of the site is touched, so that whoever comes after a crash can finish the work.

// States of a journal.
const (
	applying = "applying"
	applied  = "applied"
	undoing  = "undoing"
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
	dir  string
	root string // the site's folder
}

type journalEntry struct {
	Path string `json:"path"` // relative to the site, with forward slashes
	// Before is the SHA-256 of the file as it was, "" when there was none; After that of the file as it became.
	Before string      `json:"before"`
	After  string      `json:"after"`
	Mode   fs.FileMode `json:"mode"`
}

func hashOf(content []byte) string {
	s := sha256.Sum256(content)
	return hex.EncodeToString(s[:])
}

// current is the hash of a file as it is now, "" when there is none.
func current(path string) (string, error) {
	data, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return "", nil
	}
	if err != nil {
		return "", err
	}
	return hashOf(data), nil
}

func journalsDir(state string) string { return filepath.Join(state, "journal") }

// journals reads all journals, oldest first.
func journals(state string) ([]*journal, error) {
	entries, err := os.ReadDir(journalsDir(state))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var list []*journal
	for _, e := range entries {
		dir := filepath.Join(journalsDir(state), e.Name())
		if strings.HasSuffix(e.Name(), ".part") {
			// Never completed: nothing of the site was touched.
			if err := os.RemoveAll(dir); err != nil {
				return nil, err
			}
			continue
		}
		text, err := os.ReadFile(filepath.Join(dir, "journal.json"))
		if err != nil {
			return nil, err
		}
		j := &journal{dir: dir}
		if err = json.Unmarshal(text, j); err == nil {
			j.root, err = filepath.Abs(filepath.Join(filepath.Dir(state), filepath.FromSlash(j.Site)))
		}
		if err != nil {
			return nil, &problem.Problem{Kind: problem.Read, Where: dir, What: "the journal cannot be read: " + err.Error(), Mend: "restore the site from its build and remove this folder", Cause: err}
		}
		list = append(list, j)
	}
	return list, nil
}

// begin writes a complete journal for the changes.
func begin(state, site string, changes []Change, head []string) (j *journal, err error) {
	absolute, err := filepath.Abs(site)
	if err != nil {
		return nil, err
	}
	earlier, err := journals(state)
	if err != nil {
		return nil, err
	}
	number := 1
	if n := len(earlier); n > 0 {
		fmt.Sscanf(filepath.Base(earlier[n-1].dir), "%d", &number)
		number++
	}
	final := filepath.Join(journalsDir(state), fmt.Sprintf("%06d", number))
	base, err := filepath.Abs(filepath.Dir(state))
	if err != nil {
		return nil, err
	}
	rel, err := filepath.Rel(base, absolute)
	if err != nil {
		return nil, err
	}
	j = &journal{State: applying, Site: filepath.ToSlash(rel), Head: head, root: absolute, dir: final + ".part"}
	defer func() {
		if err != nil {
			// What a full disk cut off takes no more room, and nobody goes on with it.
			os.RemoveAll(final + ".part")
			os.RemoveAll(final)
		}
	}()
	for _, sub := range []string{"old", "new"} {
		if err := os.MkdirAll(filepath.Join(j.dir, sub), 0o755); err != nil {
			return nil, err
		}
	}
	made := map[string]bool{}
	for i, c := range changes {
		e := journalEntry{Path: c.Path, After: hashOf(c.New), Mode: 0o644}
		if c.Old != nil {
			e.Before = hashOf(c.Old)
			if info, err := os.Stat(filepath.Join(site, filepath.FromSlash(c.Path))); err == nil {
				e.Mode = info.Mode().Perm()
			}
			if err := writeSynced(j.old(i), c.Old, 0o644); err != nil {
				return nil, err
			}
		}
		if err := writeSynced(j.new(i), c.New, 0o644); err != nil {
			return nil, err
		}
		j.Entries = append(j.Entries, e)
		var missing []string
		for dir := filepath.Dir(filepath.Join(absolute, filepath.FromSlash(c.Path))); len(dir) > len(absolute); dir = filepath.Dir(dir) {
			if _, err := os.Stat(dir); err == nil || made[dir] {
				break
			}
			made[dir] = true
			rel, _ := filepath.Rel(absolute, dir)
			missing = append(missing, filepath.ToSlash(rel))
		}
		slices.Reverse(missing)
		j.Folders = append(j.Folders, missing...)
	}
	if err := j.save(); err != nil {
		return nil, err
	}
	if err := os.Rename(j.dir, final); err != nil {
		return nil, err
	}
	j.dir = final
	return j, syncDir(journalsDir(state))
}

func (j *journal) old(i int) string { return filepath.Join(j.dir, "old", fmt.Sprint(i)) }
func (j *journal) new(i int) string { return filepath.Join(j.dir, "new", fmt.Sprint(i)) }
func (j *journal) target(e journalEntry) string {
	return filepath.Join(j.root, filepath.FromSlash(e.Path))
}

func (j *journal) save() error {
	text, err := json.MarshalIndent(j, "", " ")
	if err != nil {
		return err
	}
	return replace(filepath.Join(j.dir, "journal.json"), text, 0o644)
}

// forward brings every file to its new content. Running it again after a crash goes on where it stopped.
func (j *journal) forward() error {
	for _, f := range j.Folders {
		if err := os.MkdirAll(filepath.Join(j.root, filepath.FromSlash(f)), 0o755); err != nil {
			return err
		}
	}
	for i, e := range j.Entries {
		now, err := current(j.target(e))
		if err != nil {
			return err
		}
		if now == e.After {
			continue
		}
		content, err := os.ReadFile(j.new(i))
		if err != nil {
			return err
		}
		if err := replace(j.target(e), content, e.Mode); err != nil {
			return err
		}
	}
	j.State = applied
	return j.save()
}

// backward brings every file back to its old content and removes the journal.
func (j *journal) backward() error {
	for i, e := range j.Entries {
		now, err := current(j.target(e))
		if err != nil {
			return err
		}
		os.Remove(j.target(e) + newSuffix)
		if now == e.Before {
			continue
		}
		if e.Before == "" {
			if err := os.Remove(j.target(e)); err != nil && !errors.Is(err, fs.ErrNotExist) {
				return err
			}
			continue
		}
		content, err := os.ReadFile(j.old(i))
		if err != nil {
			return err
		}
		if err := replace(j.target(e), content, e.Mode); err != nil {
			return err
		}
	}
	for _, f := range slices.Backward(j.Folders) {
		os.Remove(filepath.Join(j.root, filepath.FromSlash(f))) // stays when something else is in it
	}
	return j.drop()
}

// drop removes the journal as one step: the folder is renamed to a name that counts as unfinished, then removed.
func (j *journal) drop() error {
	gone := j.dir + ".part"
	if err := os.Rename(j.dir, gone); err != nil {
		return err
	}
	return os.RemoveAll(gone)
}

// Recover finishes what an earlier run was killed in the middle of. It gives a sentence about what it did, "" for nothing.
func Recover(state string) (string, error) {
	list, err := journals(state)
	if err != nil {
		return "", writeProblem(state, "the journal cannot be read; the site is untouched", err)
	}
	said := ""
	for _, j := range list {
		switch j.State {
		case applying:
			if err := j.forward(); err != nil {
				return "", writeProblem(j.root, "an interrupted fit could not be finished", err)
			}
			said = "An earlier fit had been interrupted; it is finished now."
		case undoing:
			if err := j.backward(); err != nil {
				return "", writeProblem(j.root, "an interrupted undo could not be finished", err)
			}
			said = "An earlier undo had been interrupted; it is finished now."
		}
	}
	return said, nil
}

// Undo takes back every fit whose files are still as it left them, newest first. It refuses, and changes nothing, when somebody
// changed a file since. The result lists the files that were restored or removed.
func Undo(state, site string) ([]string, error) {
	if _, err := Recover(state); err != nil {
		return nil, err
	}
	list, err := journals(state)
	if err != nil {
		return nil, err
	}
	absolute, err := filepath.Abs(site)
	if err != nil {
		return nil, err
	}
	list = slices.DeleteFunc(list, func(j *journal) bool { return j.root != absolute })
	if len(list) == 0 {
		return nil, &problem.Problem{Kind: problem.Usage, Where: site, What: "there is nothing to undo: no fit of this site is on record in " + state}
	}
	expected := map[string]string{}
	var changed []string
	var chain []*journal
	for _, j := range slices.Backward(list) {
		broken := false
		for _, e := range j.Entries {
			now, known := expected[e.Path]
			if !known {
				if now, err = current(j.target(e)); err != nil {
					return nil, writeProblem(j.target(e), "the file cannot be read", err)
				}
			}
			if now != e.After {
				broken = true
				if len(chain) == 0 {
					changed = append(changed, e.Path)
				}
			}
		}
		if broken {
			break // an older fit of files that a build has made anew since
		}
		for _, e := range j.Entries {
			expected[e.Path] = e.Before
		}
		chain = append(chain, j)
	}
	if len(changed) > 0 {
		slices.Sort(changed)
		return nil, &problem.Problem{Kind: problem.Write, Where: site,
			What: fmt.Sprintf("nothing was undone, since %d of the files that fit wrote were changed afterwards: %s", len(changed), listed(changed)),
			Mend: "build the site again to get rid of what fit wrote, or put those files back first"}
	}
	seen := map[string]bool{}
	var restored []string
	for _, j := range chain {
		j.State = undoing
		if err := j.save(); err != nil {
			return nil, writeProblem(j.dir, "the journal cannot be written", err)
		}
		if err := j.backward(); err != nil {
			return nil, writeProblem(j.root, "the undo stopped half-way; run it again", err)
		}
		for _, e := range j.Entries {
			if !seen[e.Path] {
				seen[e.Path] = true
				restored = append(restored, e.Path)
			}
		}
	}
	// Older journals that a rebuild has cut off are of no more use.
	rest, err := journals(state)
	if err == nil {
		for _, j := range rest {
			if j.root == absolute {
				j.drop()
			}
		}
	}
	slices.Sort(restored)
	return restored, nil
}

// madeHere says whether a file of the site, with its present content, was made by a fit rather than found and changed.
func madeHere(state, site, path string, content []byte) (bool, error) {
	list, err := journals(state)
	if err != nil {
		return false, writeProblem(state, "the journal cannot be read; the site is untouched", err)
	}
	absolute, err := filepath.Abs(site)
	if err != nil {
		return false, err
	}
	now, before := hashOf(content), "-"
	for _, j := range slices.Backward(list) {
		for _, e := range j.Entries {
			if j.root == absolute && e.Path == path && e.After == now {
				now, before = e.Before, e.Before
			}
		}
	}
	return before == "", nil
}

// earlierHeads lists the lines that earlier fits of the site put into heads.
func earlierHeads(state, site string) ([]string, error) {
	list, err := journals(state)
	if err != nil {
		return nil, writeProblem(state, "the journal cannot be read; the site is untouched", err)
	}
	absolute, err := filepath.Abs(site)
	if err != nil {
		return nil, err
	}
	var lines []string
	for _, j := range list {
		if j.root == absolute {
			lines = append(lines, j.Head...)
		}
	}
	slices.Sort(lines)
	return slices.Compact(lines), nil
}

func listed(paths []string) string {
	if len(paths) > 5 {
		return strings.Join(paths[:5], ", ") + fmt.Sprintf(" and %d more", len(paths)-5)
	}
	return strings.Join(paths, ", ")
}

func writeProblem(where, what string, err error) error {
	return &problem.Problem{Kind: problem.Write, Where: where, What: what + ": " + plain(err), Mend: "check that the folder can be written to and the disk has room", Cause: err}
}

func plain(err error) string {
	var pe *fs.PathError
	if errors.As(err, &pe) {
		return pe.Path + ": " + pe.Err.Error()
	}
	return err.Error()
}

const newSuffix = ".tachyform-new"

// replace gives a file its content in one step: under another name first, then moved into place.
func replace(path string, content []byte, mode fs.FileMode) error {
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return err
	}
	tmp := path + newSuffix
	if err := writeSynced(tmp, content, mode); err != nil {
		os.Remove(tmp)
		return err
	}
	if err := os.Rename(tmp, path); err != nil {
		os.Remove(tmp)
		return err
	}
	return nil
}

func writeSynced(path string, content []byte, mode fs.FileMode) error {
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, mode)
	if err != nil {
		return err
	}
	_, err = f.Write(content)
	if err == nil {
		err = f.Chmod(mode)
	}
	if err == nil {
		err = f.Sync()
	}
	if closeErr := f.Close(); err == nil {
		err = closeErr
	}
	return err
}

func syncDir(path string) error {
	d, err := os.Open(path)
	if err != nil {
		return err
	}
	defer d.Close()
	if err := d.Sync(); err != nil && !errors.Is(err, errors.ErrUnsupported) {
		return err
	}
	return nil
}

// same says whether two contents are equal; a nil content is that of a file that is not there.
func same(a, b []byte) bool { return (a == nil) == (b == nil) && bytes.Equal(a, b) }
