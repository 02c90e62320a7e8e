// Package site makes a deployed site, a folder or a live origin, answer requests as its host would.
package site

import (
	"context"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"io/fs"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/weburl"

	"tachyform/internal/inputfile"
	"tachyform/internal/problem"
	"tachyform/internal/project"
)

// keepBytes bounds how much file content stays in memory; what does not fit is read again when it is needed.
const keepBytes = 192 << 20

// Folder is a site given as files, answering under its origin and address.
type Folder struct {
	Dir     string
	origin  string
	address string
	hosting *hosting
	files   []*File
	byPath  map[string]*File
	// byURL holds the files of a snapshot by the path they were found at, nil for a folder.
	byURL map[string]*File
	kept  atomic.Int64
	// Skipped names what was passed over: links that lead out of the folder, sockets and the like.
	Skipped []string
}

// File is one file of the folder. It is a Body.
type File struct {
	// Path is relative to the folder, with forward slashes.
	Path string
	Abs  string
	Size int64
	// Link tells that it is a symbolic link to another file of the folder.
	Link bool

	// at and kind are the URL path and the media type of a snapshot's file.
	at, kind string

	folder  *Folder
	mu      sync.Mutex
	content []byte
	loaded  bool
	digest  *[sha256.Size]byte
}

// mostRead bounds what is read of one file into memory, in bytes. Larger files have a digest, and nothing else.
const mostRead = 1 << 30

// Bytes reads the file, at most once while memory for it is free.
func (f *File) Bytes() ([]byte, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.loaded {
		return f.content, nil
	}
	b, err := inputfile.Read(f.Abs, mostRead)
	if err != nil {
		return nil, err
	}
	if f.folder.kept.Add(int64(len(b))) <= keepBytes {
		f.content, f.loaded = b, true
	} else {
		f.folder.kept.Add(-int64(len(b)))
	}
	return b, nil
}

// Len is the file's size in bytes.
func (f *File) Len() int64 { return f.Size }

// Stamp is the short hash of the file's content.
func (f *File) Stamp() (string, error) {
	sum, err := f.Digest()
	if err != nil {
		return "", err
	}
	return shortHash(sum[:]), nil
}

// Digest is the SHA-256 of the file's content; a file that nothing else has read is not kept in memory for it.
func (f *File) Digest() (sum [sha256.Size]byte, err error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	switch {
	case f.digest != nil:
		return *f.digest, nil
	case f.loaded:
		sum = sha256.Sum256(f.content)
	default:
		if sum, _, err = inputfile.Digest(f.Abs); err != nil {
			return sum, err
		}
	}
	f.digest = &sum
	return sum, nil
}

func shortHash(sum []byte) string { return base64.StdEncoding.EncodeToString(sum[:6]) }

// Stamp is the short hash by which a release knows a file: the first 48 bits of its SHA-256, as eight characters of
// base64.
func Stamp(content []byte) string {
	sum := sha256.Sum256(content)
	return shortHash(sum[:])
}

// OpenFolder lists the folder dir, which answers at origin under address.
func OpenFolder(dir, origin, address string, h project.Hosting) (*Folder, error) {
	info, err := os.Stat(dir)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, &problem.Problem{Kind: problem.Read, Where: dir, What: "there is no such folder",
			Mend: "name the folder that your build makes, as it will be deployed", Cause: err}
	case err != nil:
		return nil, &problem.Problem{Kind: problem.Read, Where: dir, What: "the folder cannot be read: " + err.Error(),
			Cause: err}
	case !info.IsDir():
		return nil, &problem.Problem{Kind: problem.Read, Where: dir, What: "this is a file",
			Mend: "name the folder that holds the site"}
	}
	compiled, err := compileHosting(h, origin)
	if err != nil {
		return nil, &problem.Problem{Kind: problem.Usage, Where: project.FileName, What: err.Error(),
			Mend: "patterns look like /assets/* or /old/:page", Cause: err}
	}
	f := &Folder{Dir: dir, origin: origin, address: address, hosting: compiled, byPath: map[string]*File{}}
	root, err := filepath.EvalSymlinks(dir)
	if err != nil {
		return nil, &problem.Problem{Kind: problem.Read, Where: dir, What: err.Error(), Cause: err}
	}
	err = filepath.WalkDir(root, func(path string, e fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel, _ := filepath.Rel(root, path)
		rel = filepath.ToSlash(rel)
		if e.IsDir() {
			if name := e.Name(); rel != "." && (name == ".git" || name == project.StateDir || name == "node_modules") {
				return fs.SkipDir
			}
			return nil
		}
		info, err := e.Info()
		if err != nil {
			return err
		}
		if e.Type()&fs.ModeSymlink != 0 {
			target, err := filepath.EvalSymlinks(path)
			if err != nil || !strings.HasPrefix(target, root+string(filepath.Separator)) {
				f.Skipped = append(f.Skipped, rel)
				return nil
			}
			if info, err = os.Stat(target); err != nil {
				return err
			}
		}
		if !info.Mode().IsRegular() {
			f.Skipped = append(f.Skipped, rel)
			return nil
		}
		f.add(&File{Path: rel, Abs: path, Size: info.Size(), Link: e.Type()&fs.ModeSymlink != 0})
		return nil
	})
	if err != nil {
		return nil, &problem.Problem{Kind: problem.Read, Where: dir, What: "the folder cannot be read: " + err.Error(),
			Cause: err}
	}
	return f, nil
}

func (f *Folder) add(file *File) {
	file.folder = f
	if old := f.byPath[file.Path]; old != nil {
		f.files = slices.DeleteFunc(f.files, func(x *File) bool { return x == old })
	}
	f.files = append(f.files, file)
	f.byPath[file.Path] = file
}

// With gives a view of the folder in which some files have other content or are new; a nil content removes a file.
func (f *Folder) With(changes map[string][]byte) *Folder {
	n := &Folder{Dir: f.Dir, origin: f.origin, address: f.address, hosting: f.hosting, byPath: map[string]*File{},
		byURL: f.byURL}
	for _, old := range f.files {
		if _, changed := changes[old.Path]; !changed {
			n.files = append(n.files, old)
			n.byPath[old.Path] = old
		}
	}
	for path, content := range changes {
		if content != nil {
			n.add(&File{Path: path, Abs: filepath.Join(f.Dir, filepath.FromSlash(path)), Size: int64(len(content)),
				content: content, loaded: true})
		}
	}
	slices.SortFunc(n.files, func(a, b *File) int { return strings.Compare(a.Path, b.Path) })
	return n
}

// Rendered says whether a server made the file, which may come otherwise the next time.
func (f *File) Rendered() bool { return f.at != "" && Essence(f.kind) == "text/html" }

// Snapshot says whether the folder was made of a live host's answers.
func (f *Folder) Snapshot() bool { return f.byURL != nil }

// Origin is the origin that the folder answers at.
func (f *Folder) Origin() string { return f.origin }

// Address is the path that the folder is mounted at; it ends with a slash.
func (f *Folder) Address() string { return f.address }

// Files lists the folder's files in the order of their paths.
func (f *Folder) Files() []*File { return f.files }

// File gives the file at a path relative to the folder, or nil.
func (f *Folder) File(rel string) *File { return f.byPath[rel] }

// PathOf gives the URL path at which a file answers without a redirect.
func (f *Folder) PathOf(file *File) string {
	if file.at != "" {
		return file.at
	}
	rel := file.Path
	switch {
	case f.isIndex(rel):
		rel = strings.TrimSuffix(rel, rel[strings.LastIndex(rel, "/")+1:])
		if f.hosting.Slash == "remove" {
			rel = strings.TrimSuffix(rel, "/")
		}
	case f.hosting.Extensionless != "none" && strings.HasSuffix(rel, ".html"):
		rel = strings.TrimSuffix(rel, ".html")
	}
	return f.address + EscapePath(rel)
}

// FileAt gives the file that a GET for an absolute URL or a path from the origin is answered from with status 200, or
// nil.
func (f *Folder) FileAt(ref string) *File {
	u, err := whatwg.ParseRef(f.origin+"/", ref)
	if err != nil || weburl.Origin(u) != f.origin {
		return nil
	}
	resp, err := f.Answer(context.Background(), &Request{Method: "GET", URL: u})
	if err != nil || resp.Status != 200 {
		return nil
	}
	file, _ := resp.Body.(*File)
	return file
}

// WithSlash gives the address of a folder's page for one that lacks its slash, which the host redirects. Other absolute URLs and paths from
// the origin stay as they are.
func (f *Folder) WithSlash(ref string) string {
	plain := weburl.WithoutQuery(weburl.WithoutFragment(ref))
	if f.FileAt(plain) == nil && f.FileAt(plain+"/") != nil {
		return plain + "/" + ref[len(plain):]
	}
	return ref
}

// AnswersWith says whether a path is that of the page that the host answers with at addresses without a file, and that no other address is
// meant by.
func (f *Folder) AnswersWith(path string) bool {
	is := func(address string) bool {
		file := f.File(strings.TrimPrefix(address, f.address))
		return address != "" && file != nil && f.PathOf(file) == path
	}
	return path != f.address && (is(f.hosting.SinglePage) || is(f.hosting.NotFound))
}

// FallsBack says whether the host answers a GET for an absolute URL or a path from the origin with the page that it has
// for addresses without a file, and status 200, where a server behind it may have something else: a folder with other
// files is the site's own, and what it lacks is not there.
func (f *Folder) FallsBack(ref string) bool {
	u, err := whatwg.ParseRef(f.origin+"/", ref)
	if err != nil || f.hosting.SinglePage == "" || f.States(u.Href(true)) {
		return false
	}
	if resp, found := f.find(&Request{Method: "GET", URL: u}); found || resp.Status != 200 {
		return false
	}
	dir := strings.TrimPrefix(path.Dir(u.Pathname()), strings.TrimSuffix(f.address, "/"))
	for _, file := range f.files {
		if within := path.Dir(file.Path); within != "." && "/"+within == dir {
			return false
		}
	}
	return true
}

// EscapePath percent-encodes a path as the URL standard's path state would.
func EscapePath(p string) string {
	u := url.URL{Path: "/" + p}
	w, err := whatwg.Parse("http://h" + u.EscapedPath())
	if err != nil {
		return p
	}
	return strings.TrimPrefix(w.Pathname(), "/")
}
