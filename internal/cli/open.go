package cli

import (
	"context"
	"encoding/base64"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/spf13/cobra"

	"tachyform/internal/audit"
	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/report"
	"tachyform/internal/site"
	"tachyform/internal/weburl"
)

// opened is a site that a command works on.
type opened struct {
	project *project.Project
	name    string // as people call it
	host    site.Host
	folder  *site.Folder // nil for a live site
}

// load finds the project file and the site that the argument or the file names, and applies --backend.
func (a *app) load(args []string) (*project.Project, string, error) {
	p, name, err := a.find(args)
	if err == nil && a.backend != "" {
		u, parseErr := whatwg.Parse(a.backend)
		if parseErr != nil || !isURL(a.backend) || u.Pathname() != "/" || u.Query() != "" || u.Fragment() != "" || u.Username() != "" {
			return nil, "", usagef("--backend takes an origin such as http://localhost:3000, not %q", a.backend)
		}
		p.Host.Backend, p.Host.BackendElsewhere = weburl.Origin(u), true
	}
	return p, name, err
}

func (a *app) find(args []string) (*project.Project, string, error) {
	arg := ""
	if len(args) > 0 {
		arg = args[0]
	}
	path := a.project
	if path == "" {
		path = project.Find(".")
		if arg != "" && !isURL(arg) {
			if beside := project.Find(filepath.Dir(filepath.Clean(arg))); beside != "" && (path == "" || !sitsAt(path, arg)) {
				path = beside
			}
		}
	}
	if path == "" {
		if arg == "" {
			return nil, "", &problem.Problem{Kind: problem.Usage, What: "there is no site to work on: no folder was named, " +
				"and there is no " + project.FileName + " here or above",
				Mend: "name the folder that your build makes, such as: tachyform survey dist"}
		}
		p := project.Default(arg)
		return p, arg, nil
	}
	p, err := project.Load(path)
	if err != nil {
		return nil, "", err
	}
	a.stateDir = filepath.Join(p.Dir, project.StateDir)
	if arg != "" {
		return p, arg, nil
	}
	dir := p.SiteDir()
	if dir == "" {
		return nil, "", &problem.Problem{Kind: problem.Usage, Where: path, What: "the key site is missing",
			Mend: "add it, such as site: dist, or name the folder on the command line"}
	}
	return p, dir, nil
}

// sitsAt says whether the project file at path describes the site folder dir.
func sitsAt(path, dir string) bool {
	p, err := project.Load(path)
	if err != nil {
		return true // its mistakes are reported when it is loaded
	}
	a, err1 := filepath.Abs(p.SiteDir())
	b, err2 := filepath.Abs(dir)
	return err1 == nil && err2 == nil && a == b
}

// liveFlags adds what a live site may be told.
func (a *app) liveFlags(c *cobra.Command) {
	c.Flags().DurationVar(&a.answerWithin, "answer-within", 0,
		"how long each answer of a live site may take (default 20s)")
	c.Flags().DurationVar(&a.allWithin, "all-within", 0, "how long all of them may take together (default 10m)")
	c.Flags().StringArrayVar(&a.headers, "header", nil, "send this header to a live site, such as \"Cookie: "+
		"session=…\" to see it signed in (`NAME: VALUE`)")
}

func isURL(s string) bool { return strings.HasPrefix(s, "http://") || strings.HasPrefix(s, "https://") }

// open loads the project and opens its site.
func (a *app) open(ctx context.Context, args []string) (*opened, error) {
	p, name, err := a.load(args)
	if err != nil {
		return nil, err
	}
	return a.openSite(ctx, p, name)
}

// openSite opens the folder or the live site of a project.
func (a *app) openSite(ctx context.Context, p *project.Project, name string) (*opened, error) {
	if isURL(name) {
		return a.openLive(ctx, p, name)
	}
	f, err := openFolder(name, p)
	if err != nil {
		return nil, err
	}
	if err := f.CheckBuilt(); err != nil {
		return nil, err
	}
	if p.Origin == "" {
		if origin := canonicalOrigin(f); origin != "" && origin != f.Origin() {
			p.Origin = origin
			if f, err = openFolder(name, p); err != nil {
				return nil, err
			}
		}
	}
	if f.FileAt(p.Audit.Entry) == nil && p.Audit.Entry == p.Addr {
		// Without an index page the app's first page is the way in, else the first one by name; the stand-in is none.
		if start := f.FileAt(p.App.Text("start_url")); start != nil && p.App.Text("start_url") != "" {
			p.Audit.Entry = p.App.Text("start_url")
			p.Audit.Visit = []string{p.Audit.Entry}
			return &opened{p, shortName(name), f, f}, ctx.Err()
		}
		for _, file := range f.Files() {
			if path := f.PathOf(file); strings.HasSuffix(file.Path, ".html") && !(p.Worker.StandIns.MakePage && path == p.Worker.StandIns.Page) {
				p.Audit.Entry = path
				p.Audit.Visit = []string{p.Audit.Entry}
				break
			}
		}
	}
	return &opened{p, shortName(name), f, f}, ctx.Err()
}

// shortName gives a path relative to the working folder where that is shorter.
func shortName(path string) string {
	wd, err := os.Getwd()
	if err != nil {
		return path
	}
	abs, err := filepath.Abs(path)
	if err != nil {
		return path
	}
	if rel, err := filepath.Rel(wd, abs); err == nil && len(rel) < len(path) && !strings.HasPrefix(rel, "..") {
		return rel
	}
	return path
}

func openFolder(dir string, p *project.Project) (*site.Folder, error) {
	origin := p.Origin
	if origin == "" {
		origin = "https://site.example"
	}
	return site.OpenFolder(dir, origin, p.Addr, p.Host)
}

func (a *app) openLive(ctx context.Context, p *project.Project, name string) (*opened, error) {
	u, err := whatwg.Parse(name)
	if err != nil {
		return nil, usagef("%q is not a URL", report.Unsigned(name))
	}
	// A name and password in the address are for the host alone: nothing that is printed or kept shows them.
	user := ""
	if u.Username() != "" || u.Password() != "" {
		name, _ := url.PathUnescape(u.Username())
		password, _ := url.PathUnescape(u.Password())
		user = name + ":" + password
		u.SetUsername("")
		u.SetPassword("")
	}
	name = u.Href(false)
	if p.Path == "" && strings.HasSuffix(name, "/") && u.Pathname() == "/" {
		name = strings.TrimSuffix(name, "/")
	}
	p.Origin = weburl.Origin(u)
	if p.Path == "" {
		p.Audit.Entry = u.Pathname() + u.Search()
		p.Audit.Visit = []string{p.Audit.Entry}
		if strings.HasSuffix(u.Pathname(), "/") {
			p.Addr = u.Pathname()
		}
	}
	each, all := a.answerWithin, a.allWithin
	if each == 0 {
		each = time.Duration(p.Audit.Crawl.AnswerWithin)
	}
	if all == 0 {
		all = time.Duration(p.Audit.Crawl.AllWithin)
	}
	if all == 0 {
		all = 10 * time.Minute
	}
	host := site.NewLive(p.Origin, each)
	// A longer wait ends with a message; what arrived until then is not judged.
	host.Patience(all, func() {
		a.stop(&problem.Problem{Kind: problem.Read, Where: name, What: fmt.Sprintf("the site took more than %s in all, "+
			"so nothing was judged", all), Mend: "allow more with --all-within, or try fewer pages with audit.crawl.at_most"})
	})
	host.Header = http.Header{}
	if user != "" {
		host.Header.Set("Authorization", "Basic "+base64.StdEncoding.EncodeToString([]byte(user)))
	}
	for _, h := range a.headers {
		key, value, ok := strings.Cut(h, ":")
		if key = strings.TrimSpace(key); !ok || key == "" || strings.ContainsAny(key, " \t") {
			return nil, usagef("--header takes \"Name: value\", not %q", h)
		}
		host.Header.Add(key, strings.TrimSpace(value))
	}
	for range 10 {
		resp, err := host.Answer(ctx, &site.Request{Method: "GET", URL: u})
		switch {
		case ctx.Err() != nil:
			return nil, ctx.Err()
		case err != nil:
			return nil, liveProblem(name, err)
		}
		to := resp.Header.Get("Location")
		if resp.Status < 300 || resp.Status > 399 || to == "" {
			break
		}
		next, err := u.Parse(to)
		if err != nil {
			return nil, &problem.Problem{Kind: problem.Read, Where: name,
				What: fmt.Sprintf("it redirects to %q, which is no address",
					to), Mend: "mend the Location header that the server sends"}
		}
		if at := weburl.Origin(next); at != p.Origin {
			return nil, &problem.Problem{Kind: problem.Read, Where: name, What: "it redirects to " + next.Href(true) +
				", which is another origin; only the origin that is named is asked", Mend: "name that address instead"}
		}
		u = next
	}
	return &opened{project: p, name: name, host: host}, nil
}

// liveProblem tells why an address gives nothing that could be judged.
func liveProblem(name string, err error) error {
	p := &problem.Problem{Kind: problem.Read, Where: name, What: "nothing answers at this address: " +
		problem.Innermost(err), Mend: "start the server, or check the address", Cause: err}
	var f *site.Fault
	if !errors.As(err, &f) {
		return p
	}
	switch f.Kind {
	case site.Slow:
		p.What, p.Mend = fmt.Sprintf("the server took the connection and gave no whole answer within %s",
			f.Within), "look at what it is busy with, or wait longer with --answer-within"
	case site.Certificate:
		p.What, p.Mend = "the connection cannot be trusted: "+problem.Innermost(err), "mend the server's certificate; "+
			"browsers refuse it, too"
	case site.Encoded:
		p.What, p.Mend = "the content is not what its Content-Encoding says: "+
			problem.Innermost(err), "fix how the server compresses; browsers show an error"
	case site.Short:
		p.What, p.Mend = "the answer breaks off before its end", "mend the Content-Length that the server sends, or what "+
			"cuts the answer off"
	case site.Headers:
		p.What, p.Mend = "the answer's headers are larger than browsers take, 256 kB", "send fewer or shorter ones"
	case site.Switches:
		p.What, p.Mend = f.Error(), "name the address of a page"
	case site.Endless:
		p.What, p.Mend = "this address cannot be judged: "+f.Error(), "name the address of a page"
	}
	return p
}

// canonicalOrigin reads the origin from the first page's canonical link.
func canonicalOrigin(f *site.Folder) string {
	file := f.File("index.html")
	if file == nil {
		return ""
	}
	text, err := file.Bytes()
	if err != nil {
		return ""
	}
	if t, ok := page.ParseDocument("https://site.example/", "", text).Link("canonical"); ok {
		if u, err := whatwg.Parse(t.Attr["href"]); err == nil && (u.Scheme() == "https" || u.Scheme() == "http") {
			return weburl.Origin(u)
		}
	}
	return ""
}

// needFolder refuses live sites for commands that read or write files.
func (o *opened) needFolder(command string) error {
	if o.folder == nil {
		return usagef("%s works on a folder, not on a live site", command)
	}
	return nil
}

// input is what the audit and the rehearsal take.
func (a *app) input(o *opened) (audit.Input, error) {
	others, err := otherHosts(o.project)
	in := audit.Input{Project: o.project, Name: o.name, Host: o.host, Folder: o.folder, Others: others}
	if a.progress {
		in.Progress = func(done, all int) {
			if done == all {
				fmt.Fprint(a.err, "\r\x1b[K")
			} else if done%10 == 0 {
				fmt.Fprintf(a.err, "\rrehearsing page %d of %d", done, all)
			}
		}
	}
	return in, err
}

// otherHosts opens the folders of other origins. Relative folders are relative to the project file.
func otherHosts(p *project.Project) ([]site.Host, error) {
	return audit.HostsOf(p, func(dir string) string {
		if filepath.IsAbs(dir) {
			return dir
		}
		return filepath.Join(p.Dir, dir)
	})
}

// rehearsable does what all commands begin with that rehearse: checks the options, opens the site, and gathers what is
// judged.
func (a *app) rehearsable(ctx context.Context, args []string, under func() ([]condition.Condition, error)) (*opened,
	audit.Input, error) {
	if err := a.checkFormat(); err != nil {
		return nil, audit.Input{}, err
	}
	conditions, err := under()
	if err != nil {
		return nil, audit.Input{}, err
	}
	o, err := a.open(ctx, args)
	if err != nil {
		return nil, audit.Input{}, err
	}
	in, err := a.input(o)
	in.Conditions = conditions
	return o, in, err
}

// wrapRead makes an error of reading a site a problem with a place.
func wrapRead(where string, err error) error {
	var p *problem.Problem
	var l problem.List
	if err == nil || errors.As(err, &p) || errors.As(err, &l) || errors.Is(err, context.Canceled) {
		return err
	}
	return &problem.Problem{Kind: problem.Read, Where: where, What: err.Error(), Cause: err}
}
