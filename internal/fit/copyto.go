package fit

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"tachyform/internal/inputfile"
	"tachyform/internal/problem"
)

// CopyTo writes the site with the changes, of a live site the changes alone, to another folder, which must be new or
// empty, and leaves the site itself as it is. Nothing stays of it when it fails. skipped lists links and the like that
// are no files of the site.
func (p *Plan) CopyTo(ctx context.Context, dir string, skipped []string) (err error) {
	bad := func(what, mend string, cause error) error {
		return &problem.Problem{Kind: problem.Write, Where: dir, What: what, Mend: mend, Cause: cause}
	}
	site, err := filepath.Abs(p.Site)
	if err != nil {
		return err
	}
	to, err := filepath.Abs(dir)
	if err != nil {
		return err
	}
	if !p.Live && (to == site || strings.HasPrefix(to, site+string(filepath.Separator)) ||
		strings.HasPrefix(site, to+string(filepath.Separator))) {
		return bad("this folder and the site lie in one another", "name a folder beside the site", nil)
	}
	entries, err := os.ReadDir(to)
	switch {
	case err != nil && !errors.Is(err, fs.ErrNotExist):
		return bad("the folder cannot be read: "+plain(err), "", err)
	case len(entries) > 0:
		return bad("the folder is not empty; nothing was written", "name a new one, or empty it", nil)
	}
	there := err == nil
	// All of it is written into a new folder beside it first and moved into place at the end.
	if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
		return bad("the folder cannot be made: "+plain(err), "name a folder that can be written to", err)
	}
	part, err := os.MkdirTemp(filepath.Dir(to), ".tachyform-into-*")
	if err != nil {
		return bad("the folder cannot be made: "+plain(err), "name a folder that can be written to", err)
	}
	defer func() {
		if err != nil {
			os.RemoveAll(part)
			var known *problem.Problem
			if ctx.Err() == nil && !errors.As(err, &known) {
				err = bad("the folder cannot be written: "+plain(err), "check that there is room, and that it can be written to",
					err)
			}
		}
	}()
	changed := map[string]Change{}
	for _, c := range p.Changes {
		changed[c.Path] = c
	}
	passed := map[string]bool{}
	for _, s := range skipped {
		passed[s] = true
	}
	if err := os.Chmod(part, 0o755); err != nil { // a site is there to be read
		return err
	}
	if !p.Live {
		if err := p.copySite(ctx, site, part, passed, changed); err != nil {
			return err
		}
	}
	for rel, c := range changed {
		target := filepath.Join(part, filepath.FromSlash(rel))
		if err := os.MkdirAll(filepath.Dir(target), 0o755); err != nil {
			return err
		}
		if err := os.WriteFile(target, c.New, 0o644); err != nil {
			return err
		}
	}
	if there {
		return moveContent(part, to)
	}
	return os.Rename(part, to)
}

// moveContent moves all that lies in a folder into an empty one, which stays what it is, a link to a folder perhaps.
func moveContent(from, to string) error {
	entries, err := os.ReadDir(from)
	if err != nil {
		return err
	}
	if late, err := os.ReadDir(to); err != nil || len(late) > 0 {
		return errors.Join(err, errors.New("somebody put files into it meanwhile"))
	}
	for _, e := range entries {
		if err := os.Rename(filepath.Join(from, e.Name()), filepath.Join(to, e.Name())); err != nil {
			return err
		}
	}
	return os.Remove(from)
}

// copySite copies the site's files, but those that were passed over, and those that change with their new content; the
// latter are taken out of changed.
func (p *Plan) copySite(ctx context.Context, site, part string, passed map[string]bool,
	changed map[string]Change) error {
	root, err := filepath.EvalSymlinks(site)
	if err != nil {
		return err
	}
	return filepath.WalkDir(root, func(path string, e fs.DirEntry, err error) error {
		if err == nil {
			err = ctx.Err()
		}
		if err != nil {
			return err
		}
		rel, _ := filepath.Rel(root, path)
		target := filepath.Join(part, rel)
		if e.IsDir() {
			return os.MkdirAll(target, 0o755)
		}
		slashed := filepath.ToSlash(rel)
		if passed[slashed] {
			return nil
		}
		info, err := os.Stat(path)
		if err != nil {
			return err
		}
		if c, is := changed[slashed]; is {
			delete(changed, slashed)
			return os.WriteFile(target, c.New, info.Mode().Perm())
		}
		return copyFile(path, target, info.Mode().Perm())
	})
}

func copyFile(from, to string, mode fs.FileMode) error {
	in, err := inputfile.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, mode)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	if closeErr := out.Close(); err == nil {
		err = closeErr
	}
	return err
}
