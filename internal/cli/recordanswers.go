package cli

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/inputfile"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/report"
	"tachyform/internal/site"
	"tachyform/internal/weburl"
)

// recordAnswers opens the site's pages with the server that hosting.backend names behind them, writes what that answered
// into a folder beside the project file, and gives the lines of hosting.answers that take its place.
func (a *app) recordAnswers(ctx context.Context, o *opened, into string) error {
	switch {
	case o.folder == nil:
		return usagef("--record-answers is for a folder whose server is named under hosting.backend")
	case o.project.Host.Backend == "":
		return usagef("there is no server to record: name it under hosting.backend, such as http://localhost:3000")
	}
	g, err := a.look(ctx, o)
	if err != nil {
		return err
	}
	if !filepath.IsAbs(into) {
		into = filepath.Join(o.project.Dir, into)
	}
	var recorded []project.Answer
	for _, url := range g.Seen.URLs() {
		for _, r := range g.Seen.Pages[url].Requests {
			p, own := g.Local(r.URL)
			known := slices.ContainsFunc(recorded, func(done project.Answer) bool { return done.Match == p })
			if !own || g.Files[p] != nil || g.Folder.FileAt(p) != nil || known {
				continue
			}
			answer, err := recordAnswer(ctx, g.Folder, r.URL, p, into)
			if err != nil {
				return err
			}
			if answer != nil {
				recorded = append(recorded, *answer)
			}
		}
	}
	for i := range recorded {
		if rel, err := filepath.Rel(o.project.Dir, recorded[i].File); err == nil && recorded[i].File != "" {
			recorded[i].File = filepath.ToSlash(rel)
		}
	}
	fmt.Fprint(a.out, report.Recorded(recorded, o.project.Host.Backend))
	return nil
}

// maxAnswer bounds the size of a recorded answer that is compared with a new one, in bytes.
const maxAnswer = 64 << 20

var notInNames = regexp.MustCompile(`[^A-Za-z0-9._]+`)

// answerName is the name of the file that holds the answer at a path. Part of it is a hash of the path, so that no two
// paths have one name, on disks that ignore case as on others, and it is at most 80 bytes long.
func answerName(at, mediaType string) string {
	plain := strings.Trim(notInNames.ReplaceAllString(weburl.WithoutQuery(at), "-"), "-.")
	ext := path.Ext(plain)
	plain = strings.TrimSuffix(plain, ext)
	switch {
	case strings.HasSuffix(mediaType, "json"):
		ext = ".json"
	case len(ext) > 10:
		ext = ""
	}
	sum := sha256.Sum256([]byte(at))
	return strings.TrimLeft(plain[:min(len(plain), 60)]+"-"+hex.EncodeToString(sum[:4])+ext, "-")
}

// recordAnswer asks for a URL and writes what came; an answer that lies there and differs is not overwritten.
func recordAnswer(ctx context.Context, f *site.Folder, url, at, into string) (*project.Answer, error) {
	u, err := whatwg.Parse(url)
	if err != nil {
		return nil, nil
	}
	resp, err := f.Answer(ctx, &site.Request{Method: "GET", URL: u})
	if err != nil {
		return nil, wrapRead(url, err)
	}
	answer := &project.Answer{Match: at, Status: resp.Status, MediaType: site.Essence(resp.Header.Get("Content-Type"))}
	body, err := resp.Body.Bytes()
	if err != nil {
		return nil, wrapRead(url, err)
	}
	if resp.Status >= 400 {
		answer.MediaType = ""
		return answer, nil
	}
	answer.File = filepath.Join(into, answerName(at, answer.MediaType))
	if now, err := inputfile.Read(answer.File, maxAnswer); err == nil && !bytes.Equal(now, body) {
		return nil, &problem.Problem{Kind: problem.Write, Where: answer.File, What: "another answer lies there already; it was left as it is",
			Mend: "take it away to record anew, or name another folder"}
	}
	if err := os.MkdirAll(into, 0o755); err != nil {
		return nil, &problem.Problem{Kind: problem.Write, Where: into, What: "the folder cannot be made: " + problem.Innermost(err), Cause: err}
	}
	return answer, writeOutput(answer.File, body, "the answer", "check that the folder can be written to")
}
