package releases

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"os"
	"path"
	"slices"

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
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	add := func(name string, content []byte) {
		w, err2 := z.Create(name)
		if err2 == nil {
			_, err2 = w.Write(content)
		}
		err = errors.Join(err, err2)
	}
	text, err2 := json.Marshal(r)
	err = errors.Join(err, err2)
	add(recordName, text)
	var hashes []string
	for hash := range contents {
		hashes = append(hashes, hash)
	}
	slices.Sort(hashes)
	for _, hash := range hashes {
		add(path.Join(objectsName, hash), contents[hash])
	}
	if err = errors.Join(err, z.Close()); err == nil {
		part := file + ".part"
		if err = os.WriteFile(part, out.Bytes(), 0o644); err == nil {
			err = os.Rename(part, file)
		}
	}
	if err != nil {
		return &problem.Problem{Kind: problem.Write, Where: file, What: "the release cannot be written: " + problem.Innermost(err),
			Mend: "name a file in a folder that can be written to", Cause: err}
	}
	return nil
}

// Unpack writes the release in a file into a new temporary folder, as Lay does, and gives its path.
func Unpack(file string, now *site.Folder) (dir string, err error) {
	z, err := zip.OpenReader(file)
	bad := func(err error) (string, error) {
		return "", &problem.Problem{Kind: problem.Read, Where: file, What: "this is no release that can be read: " + problem.Innermost(err),
			Mend: "tachyform handover --save FILE makes one", Cause: err}
	}
	if err != nil {
		return bad(err)
	}
	defer z.Close()
	var left int64 = mostUnpacked
	read := func(name string) ([]byte, error) {
		f, err := z.Open(name)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		text, err := io.ReadAll(io.LimitReader(f, left+1))
		if left -= int64(len(text)); left < 0 {
			return nil, errors.New("it holds more than 1 GB")
		}
		return text, err
	}
	text, err := read(recordName)
	if err != nil {
		return bad(err)
	}
	r := &Release{}
	if err := json.Unmarshal(text, r); err != nil {
		return bad(err)
	}
	return lay(r, now, func(hash string) ([]byte, error) {
		if len(hash) != 64 {
			return nil, errors.New("a file has no hash")
		}
		return read(path.Join(objectsName, hash))
	})
}
