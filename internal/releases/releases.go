// Package releases keeps what a site looked like when it was released, beside the project file or in one file, so that
// the next release can be handed over from it.
package releases

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"tachyform/internal/inputfile"
	"tachyform/internal/outputfile"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/site"
)

// Release is the record of a release.
type Release struct {
	ID string `json:"id"`
	// At is when it was recorded.
	At    time.Time `json:"at"`
	Files []File    `json:"files"`
}

// When says when the release was recorded, to the minute.
func (r *Release) When() string { return r.At.Local().Format("2006-01-02 15:04") }

// File is a file of a release: its place in the folder, the SHA-256 of its content, its size, and whether the content is kept.
type File struct {
	Path string `json:"path"`
	Hash string `json:"sha256"`
	Size int64  `json:"size"`
	Kept bool   `json:"kept,omitempty"`
}

const (
	folderName  = "releases"
	objectsName = "objects"
	liveName    = "live"
	// largest is the size of the largest file whose content is kept.
	largest = 8 << 20
	// usualBudget is how much is kept in all, where the project file says nothing; usualCount of how many releases.
	usualBudget = 64 << 20
	usualCount  = 6
)

// keptKinds are the extensions of files whose content decides what a page does. Of others stamp and size are enough.
var keptKinds = map[string]bool{".html": true, ".htm": true, ".xhtml": true, ".js": true, ".mjs": true, ".css": true,
	".json": true, ".webmanifest": true, ".svg": true, ".xml": true, ".txt": true}

// Store is where releases of a project are kept. What lies there may have come with somebody else's project, so nothing
// in it is believed that could lead out of it.
type Store struct {
	dir    string
	budget int64
	count  int
}

// Of gives the store of a project.
func Of(p *project.Project) *Store {
	return &Store{filepath.Join(p.Dir, project.StateDir), cmp.Or(int64(p.Releases.Budget), usualBudget), cmp.Or(p.Releases.AtMost, usualCount)}
}

func hashOf(content []byte) string {
	sum := sha256.Sum256(content)
	return hex.EncodeToString(sum[:])
}

// describe lists the files of a folder. each is given the content of those that are kept.
func describe(ctx context.Context, f *site.Folder, each func(hash string, content []byte) error) (*Release, error) {
	r := &Release{}
	for _, file := range f.Files() {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		one := File{Path: file.Path, Size: file.Size}
		one.Kept = keptKinds[strings.ToLower(path.Ext(file.Path))] && one.Size <= largest
		if one.Kept {
			content, err := file.Bytes()
			if err != nil {
				return nil, err
			}
			one.Hash, one.Size = hashOf(content), int64(len(content))
			if err := each(one.Hash, content); err != nil {
				return nil, err
			}
		} else {
			sum, err := file.Digest()
			if err != nil {
				return nil, err
			}
			one.Hash = hex.EncodeToString(sum[:])
		}
		r.Files = append(r.Files, one)
	}
	slices.SortFunc(r.Files, func(a, b File) int { return strings.Compare(a.Path, b.Path) })
	var all strings.Builder
	for _, one := range r.Files {
		all.WriteString(one.Path + "\x00" + one.Hash + "\n")
	}
	r.ID = hashOf([]byte(all.String()))[:16]
	return r, nil
}

func (s *Store) failed(err error) error {
	if err == nil || errors.Is(err, context.Canceled) {
		return err
	}
	return &problem.Problem{Kind: problem.Write, Where: filepath.Join(s.dir, folderName), What: "the release cannot be recorded: " +
		problem.Innermost(err), Mend: "see that the folder can be written to; the site is as it was", Cause: err}
}

// Record keeps the site as it is now; live marks it as the release that is deployed. A release that is there already is
// not kept twice.
func (s *Store) Record(ctx context.Context, f *site.Folder, live bool) (*Release, error) {
	if err := os.MkdirAll(filepath.Join(s.dir, folderName, objectsName), 0o755); err != nil {
		return nil, s.failed(err)
	}
	root, err := os.OpenRoot(s.dir)
	if err != nil {
		return nil, s.failed(err)
	}
	defer root.Close()
	r, err := describe(ctx, f, func(hash string, content []byte) error {
		name := path.Join(folderName, objectsName, hash)
		if info, err := root.Lstat(name); err == nil && info.Mode().IsRegular() && info.Size() == int64(len(content)) {
			return nil
		}
		return outputfile.WriteIn(root, name, 0o644, content)
	})
	if err != nil {
		return nil, s.failed(err)
	}
	if known, err := s.read(root, r.ID); err == nil {
		r = known
	} else {
		r.At = time.Now().UTC()
		text, err := json.Marshal(r)
		if err == nil {
			err = outputfile.WriteIn(root, path.Join(folderName, r.ID+".json"), 0o644, text)
		}
		if err != nil {
			return nil, s.failed(err)
		}
	}
	if live {
		if err := outputfile.WriteIn(root, path.Join(folderName, liveName), 0o644, []byte(r.ID)); err != nil {
			return nil, s.failed(err)
		}
	}
	return r, s.failed(s.prune(root, r.ID))
}

var identifier = regexp.MustCompile(`^[0-9a-f]{16}$`)

// read gives a recorded release.
func (s *Store) read(root *os.Root, id string) (*Release, error) {
	if !identifier.MatchString(id) {
		return nil, fs.ErrNotExist
	}
	text, err := inputfile.ReadIn(root, path.Join(folderName, id+".json"), mostRecord)
	if err != nil {
		return nil, err
	}
	r, err := parse(text)
	if err != nil {
		return nil, err
	}
	r.ID = id
	return r, nil
}

// Bounds of a record: its size in bytes, and how many files it may name.
const (
	mostRecord = 64 << 20
	mostFiles  = 200_000
)

// parse reads a record.
func parse(text []byte) (*Release, error) {
	r := &Release{}
	if err := json.Unmarshal(text, r); err != nil {
		return nil, err
	}
	if len(r.Files) > mostFiles {
		return nil, fmt.Errorf("it names more than %d files", mostFiles)
	}
	return r, nil
}

// all lists the recorded releases, the latest first.
func (s *Store) all(root *os.Root) (list []*Release) {
	entries, _ := inputfile.ListIn(root, folderName)
	for _, e := range entries {
		if id, is := strings.CutSuffix(e.Name(), ".json"); is {
			if r, err := s.read(root, id); err == nil {
				list = append(list, r)
			}
		}
	}
	slices.SortFunc(list, func(a, b *Release) int {
		return cmp.Or(b.At.Compare(a.At), strings.Compare(a.ID, b.ID))
	})
	return list
}

// live is the release that is marked as deployed, "" for none.
func (s *Store) live(root *os.Root) string {
	text, err := inputfile.ReadIn(root, path.Join(folderName, liveName), 1<<10)
	if err != nil || !identifier.Match(text) {
		return ""
	}
	return string(text)
}

// prune takes away the oldest releases until the rest fits, but neither the newest nor the one that is live, and what no
// release has any more.
func (s *Store) prune(root *os.Root, newest string) error {
	list, live := s.all(root), s.live(root)
	wanted := map[string]bool{}
	var total int64
	count := 0
	for _, r := range list {
		var more int64
		for _, f := range r.Files {
			if f.Kept && !wanted[f.Hash] {
				more += f.Size
			}
		}
		if count++; r.ID != newest && r.ID != live && (count > s.count || total+more > s.budget) {
			if err := root.Remove(path.Join(folderName, r.ID+".json")); err != nil {
				return err
			}
			continue
		}
		total += more
		for _, f := range r.Files {
			if f.Kept {
				wanted[f.Hash] = true
			}
		}
	}
	// Whoever records holds the project's lock: temporary files are of runs that were killed.
	records, err := inputfile.ListIn(root, folderName)
	for _, e := range records {
		if outputfile.IsTemporary(e.Name()) && !e.IsDir() {
			err = errors.Join(err, root.Remove(path.Join(folderName, e.Name())))
		}
	}
	entries, listErr := inputfile.ListIn(root, path.Join(folderName, objectsName))
	err = errors.Join(err, listErr)
	for _, e := range entries {
		if !wanted[e.Name()] && !e.IsDir() {
			err = errors.Join(err, root.Remove(path.Join(folderName, objectsName, e.Name())))
		}
	}
	return err
}

// Before gives the release that the site as it is now is to be compared with: the one that is live, else the last one
// recorded that differs. It is nil where there is none.
func (s *Store) Before(ctx context.Context, f *site.Folder) (*Release, error) {
	root, err := os.OpenRoot(s.dir)
	if err != nil {
		return nil, nil // nothing was recorded yet
	}
	defer root.Close()
	now, err := describe(ctx, f, func(string, []byte) error { return nil })
	if err != nil {
		return nil, err
	}
	if id := s.live(root); id != "" && id != now.ID {
		if r, err := s.read(root, id); err == nil {
			return r, nil
		}
	}
	for _, r := range s.all(root) {
		if r.ID != now.ID {
			return r, nil
		}
	}
	return nil, nil
}

// Lay writes a recorded release into a new temporary folder, as it was deployed. Of files whose content was not kept, that
// of the site as it is now stands there, now, where it is the same, else something of their size that is like no other
// file; see StandsFor.
func (s *Store) Lay(r *Release, now *site.Folder) (dir string, err error) {
	root, err := os.OpenRoot(s.dir)
	if err != nil {
		return "", s.failed(err)
	}
	defer root.Close()
	return lay(r, now, func(hash string) ([]byte, error) {
		return inputfile.ReadIn(root, path.Join(folderName, objectsName, hash), largest)
	})
}

// A file that was not kept is filled with a line that names its hash, and zeros.
const fillingStart = "not kept: "

// fill writes a filling. Its file is as long as the one that it stands for, up to mostFilling, and takes hardly any room.
func fill(name string, f File) error {
	line := fillingStart + f.Hash + "\n"
	if err := os.WriteFile(name, []byte(line), 0o644); err != nil {
		return err
	}
	return os.Truncate(name, min(max(f.Size, int64(len(line))), mostFilling))
}

// StandsFor gives the SHA-256 of the content that a filling stands for.
func StandsFor(content []byte) (sum []byte, known bool) {
	rest, is := bytes.CutPrefix(content, []byte(fillingStart))
	if !is || len(rest) <= 2*sha256.Size || rest[2*sha256.Size] != '\n' {
		return nil, false
	}
	sum, err := hex.DecodeString(string(rest[:2*sha256.Size]))
	return sum, err == nil
}

// unchanged returns the file of the site as it is now if it has the content of a recorded one, else nil.
func unchanged(f File, now *site.Folder) *site.File {
	if now == nil {
		return nil
	}
	if file := now.File(f.Path); file != nil && file.Size == f.Size {
		if sum, err := file.Digest(); err == nil && hex.EncodeToString(sum[:]) == f.Hash {
			return file
		}
	}
	return nil
}

// take puts a file of the site as it is now in a place, as another name of the same file where the disk has that.
func take(file *site.File, name string) error {
	if from, err := filepath.EvalSymlinks(file.Abs); err == nil && os.Link(from, name) == nil {
		return nil
	}
	in, err := inputfile.Open(file.Abs)
	if err != nil {
		return err
	}
	defer in.Close()
	return outputfile.Write(name, 0o644, func(w io.Writer) error {
		_, err := io.Copy(w, io.LimitReader(in, file.Size))
		return err
	})
}

// mostFilling bounds how long a file is that stands for one that was not kept, in bytes; blockSize is what it takes on a disk.
const (
	mostFilling = 4 << 20
	blockSize   = 4 << 10
)

var errTooMuch = fmt.Errorf("it holds more than %d GB", mostUnpacked>>30)

// lay writes the files of a release into a new temporary folder.
func lay(r *Release, now *site.Folder, content func(hash string) ([]byte, error)) (dir string, err error) {
	dir, err = os.MkdirTemp("", "tachyform-release-")
	if err != nil {
		return "", err
	}
	defer func() {
		if err != nil {
			_ = os.RemoveAll(dir)
			dir, err = "", &problem.Problem{Kind: problem.Read, Where: r.ID, What: "the recorded release cannot be taken out: " +
				problem.Innermost(err), Mend: "record it anew with tachyform handover --mark-live", Cause: err}
		}
	}()
	var left int64 = mostUnpacked
	for _, f := range r.Files {
		if !filepath.IsLocal(filepath.FromSlash(f.Path)) {
			return dir, errors.New("it names a file outside of the site: " + f.Path)
		}
		name := filepath.Join(dir, filepath.FromSlash(f.Path))
		if err = os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
			return dir, err
		}
		if _, err = os.Lstat(name); err == nil {
			return dir, errors.New("it names a file twice: " + f.Path)
		}
		if f.Kept {
			var text []byte
			if text, err = content(f.Hash); err != nil {
				return dir, err
			}
			if hashOf(text) != f.Hash {
				return dir, errors.New("the content of " + f.Path + " is not what was recorded")
			}
			if left -= int64(len(text)); left < 0 {
				return dir, errTooMuch
			}
			err = os.WriteFile(name, text, 0o644)
		} else if file := unchanged(f, now); file != nil {
			err = take(file, name)
		} else if left -= blockSize; left >= 0 {
			err = fill(name, f)
		} else {
			err = errTooMuch
		}
		if err != nil {
			return dir, err
		}
	}
	return dir, nil
}
