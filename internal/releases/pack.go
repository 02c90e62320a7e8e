package releases

import (
	"archive/zip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"path"
	"slices"

	"tachyform/internal/inputfile"
	"tachyform/internal/outputfile"
	"tachyform/internal/problem"
	"tachyform/internal/site"
)

// A release in one file is a ZIP archive: release.json, and objects/HASH with the contents that are kept.
const recordName = "release.json"

// mostUnpacked bounds how much one file may hold.
const mostUnpacked = 1 << 30

// Pack writes the site as it is now into one file, the same bytes for the same site.
func Pack(ctx context.Context, f *site.Folder, file string) error {
	contents := map[string][]byte{}
	r, err := describe(ctx, f, func(hash string, content []byte) error {
		contents[hash] = content
		return nil
	})
	if err != nil {
		return err
	}
	text, err := json.Marshal(r)
	if err != nil {
		return err
	}
	err = outputfile.Write(file, 0o644, func(out io.Writer) error {
		z := zip.NewWriter(out)
		add := func(name string, content []byte) error {
			w, err := z.Create(name)
			if err != nil {
				return err
			}
			_, err = w.Write(content)
			return errors.Join(err, ctx.Err())
		}
		if err := add(recordName, text); err != nil {
			return err
		}
		for _, hash := range slices.Sorted(maps.Keys(contents)) {
			if err := add(path.Join(objectsName, hash), contents[hash]); err != nil {
				return err
			}
		}
		return z.Close()
	})
	if errors.Is(err, context.Canceled) {
		return err
	}
	if err != nil {
		return &problem.Problem{Kind: problem.Write, Where: file, What: "the release cannot be written: " + problem.Innermost(err),
			Mend: "name a file in a folder that can be written to", Cause: err}
	}
	return nil
}

// Unpack writes the release in a file into a new temporary folder, as Lay does, and gives its path.
func Unpack(file string, now *site.Folder) (dir string, err error) {
	bad := func(err error) (string, error) {
		return "", &problem.Problem{Kind: problem.Read, Where: file, What: "this is no release that can be read: " + problem.Innermost(err),
			Mend: "tachyform handover --save FILE makes one", Cause: err}
	}
	archive, err := inputfile.Open(file)
	if err != nil {
		return bad(err)
	}
	defer archive.Close()
	info, err := archive.Stat()
	if err != nil {
		return bad(err)
	}
	if info.Size() > mostUnpacked {
		return bad(errTooMuch)
	}
	z, err := zip.NewReader(archive, info.Size())
	if err != nil {
		return bad(err)
	}
	if len(z.File) > mostFiles {
		return bad(fmt.Errorf("it holds more than %d files", mostFiles))
	}
	var left int64 = mostUnpacked
	read := func(name string) ([]byte, error) {
		f, err := z.Open(name)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		text, err := io.ReadAll(io.LimitReader(f, left+1))
		if left -= int64(len(text)); left < 0 {
			return nil, errTooMuch
		}
		return text, err
	}
	text, err := read(recordName)
	if err != nil {
		return bad(err)
	}
	r, err := parse(text)
	if err != nil {
		return bad(err)
	}
	return lay(r, now, func(hash string) ([]byte, error) {
		if len(hash) != 64 {
			return nil, errors.New("a file has no hash")
		}
		return read(path.Join(objectsName, hash))
	})
}
