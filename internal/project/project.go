// Package project reads, checks and writes tachyform.yaml, the description of a site's app, pack, rules and audit.
package project

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"tachyform/internal/inputfile"
	"tachyform/internal/problem"
	"tachyform/internal/target"
)

// FileName is the name under which the project file is looked for.
const FileName = "tachyform.yaml"

// StateDir is the folder beside the project file that holds journals and saved originals.
const StateDir = ".tachyform"

// Project is the content of a project file. Field tags carry the key, the words for the schema and the checks.
// A field for each key at the top of the file.
type Project struct {
	Site     string        `yaml:"site" doc:"The folder as it will be deployed (what the build makes, not its source)."`
	Origin   string        `yaml:"origin" doc:"Where the site will live, as scheme and host." check:"origin"`
	Addr     string        `yaml:"address" doc:"Where the host mounts the site under that origin." check:"path"`
	App      Members       `yaml:"app" doc:"Members of the web app manifest under their standard names."`
	Icons    Icons         `yaml:"icons" doc:"The master picture and how icons are made of it."`
	Head     Head          `yaml:"head" doc:"What is written into the heads of pages."`
	Worker   Worker        `yaml:"worker" doc:"What is kept for offline use and how requests are answered."`
	Audit    Audit         `yaml:"audit" doc:"What the audit judges."`
	Releases Releases      `yaml:"releases" doc:"What is kept of releases, for tachyform handover."`
	Shops    Shops         `yaml:"shops" doc:"App shops that the app goes to as well."`
	Host     Hosting       `yaml:"hosting" doc:"How the host answers, where it is more than files."`
	Others   []OtherOrigin `yaml:"other_origins" doc:"What else the pages fetch from."`
	// Rehearsals are scripted visits of the user's own.
	Rehearsals []Rehearsal `yaml:"rehearsals" doc:"Visits of your own, step by step, with what should come of them."`

	// Path is the file that was read, "" for defaults alone.
	Path string `yaml:"-"`
	// Dir is the folder that relative paths in the file start from.
	Dir string `yaml:"-"`

	// Development asks for pages that do not register the worker.
	Development bool `yaml:"-"`

	places map[string]Place
}

// Icons says which master picture the icon set is made from.
type Icons struct {
	Master     string `yaml:"master" doc:"SVG or PNG, JPEG, WebP; at least 512 px."`
	Maskable   string `yaml:"maskable" doc:"Another picture for maskable icons."`
	Monochrome string `yaml:"monochrome" doc:"A picture in one colour on nothing, for icons that the system tints."`
	Small      string `yaml:"small" doc:"A simpler picture for icons of 48 pixels and less."`
	Ground     string `yaml:"ground" doc:"What lies under plain icons; without it the backdrop does, where the picture would hardly be seen on white." enum:"clear,filled"`
	Backdrop   string `yaml:"backdrop" doc:"Colour behind icons that may not be transparent." check:"colour"`
	Folder     string `yaml:"folder" doc:"Folder inside the site that the icons are written to." check:"path"`
	Tiles      string `yaml:"tiles" doc:"Also the sizes of Windows' start menu." enum:"yes,no"`
	// Shortcuts maps names of app.shortcuts to pictures.
	Shortcuts     map[string]string `yaml:"shortcuts" doc:"Pictures for the manifest's shortcuts, by their names."`
	Startup       string            `yaml:"startup" doc:"Pictures that iPhones and iPads show while the app starts, for screens held upright or both ways." enum:"portrait,both"`
	StartupGround string            `yaml:"startup_ground" doc:"Their ground; without it app.background_color." check:"colour"`
	StartupDark   string            `yaml:"startup_dark" doc:"Their ground while the system is dark; with it there are pictures for both." check:"colour"`
}

// Head says which pages' heads are seen to, and what else they hold.
type Head struct {
	Pages       []string `yaml:"pages" doc:"URL patterns of the pages; without it all of them."`
	LeaveOut    []string `yaml:"leave_out" doc:"URL patterns of pages that stay as they are."`
	Dark        string   `yaml:"dark" doc:"Theme colour while the system is dark." check:"colour"`
	Scheme      string   `yaml:"scheme" doc:"Colour schemes that the pages know." enum:"light,dark,light dark"`
	Credentials string   `yaml:"credentials" doc:"Fetch the manifest with cookies; without it where hosting asks for a cookie." enum:"yes,no"`
	Mend        string   `yaml:"mend" doc:"Correct misspelt and obsolete names of tags." enum:"yes,no"`
}

// Worker describes the generated service worker. A nil Pack and no rules mean that none is made.
type Worker struct {
	File     string   `yaml:"file" doc:"Address of the worker's script; its folder is the worker's scope." check:"path"`
	Pack     Pack     `yaml:"pack" doc:"The files that the worker fetches and keeps when it is installed."`
	Never    []string `yaml:"never" doc:"URL patterns of requests that the worker leaves alone, such as sign-in and admin pages."`
	Rules    []Rule   `yaml:"rules" doc:"How other requests are answered; the first that matches decides."`
	Shell    Shell    `yaml:"shell" doc:"One page that draws all others, for single-page apps."`
	StandIns StandIns `yaml:"stand_ins" doc:"What is shown when a page, a picture, a font or data cannot be had."`
	Takeover string   `yaml:"takeover" doc:"When a new worker replaces the old." enum:"when-closed,ask,at-once"`
	Register Register `yaml:"register" doc:"Where pages register the worker, and how often they look for a new release."`
	Module   string   `yaml:"module" doc:"A JavaScript module of your own, such as push handlers, that becomes part of the worker."`
	Target   string   `yaml:"target" doc:"The oldest JavaScript that browsers must know; without it es2020." enum:"es2017,es2018,es2019,es2020,es2021,es2022"`
	Minify   string   `yaml:"minify" doc:"Write the scripts without comments, white space and long names." enum:"yes,no"`
	Present  Present  `yaml:"present" doc:"A worker of the site's own that its pages register; fit then writes none."`
	// Replaced are the stores of the worker that is replaced.
	Replaced []string `yaml:"-"`
	Replace  string   `yaml:"replace" doc:"Whether fit writes a worker in the place of the one that the site has." enum:"yes,no"`
}

// Present is a worker of the site's own.
type Present struct {
	File  string `yaml:"file" doc:"Address of its script." check:"path"`
	Scope string `yaml:"scope" doc:"Its scope; without it the folder of its script." check:"path"`
	Type  string `yaml:"type" doc:"Whether it is a classic script or a module." enum:"classic,module"`
}

// Pack chooses the files that are kept at installation by URL patterns.
type Pack struct {
	Include     []string `yaml:"include" doc:"URL patterns of files to keep." check:"pattern"`
	Pages       []string `yaml:"pages" doc:"URL patterns of pages to keep with everything they ask for; what a rule answers is left to the rule."`
	LeaveOut    []string `yaml:"leave_out" doc:"URL patterns of files not to keep although included."`
	Budget      Size     `yaml:"budget" doc:"The most that the pack may weigh, such as 2 MB."`
	OverBudget  string   `yaml:"over_budget" doc:"What becomes of a heavier pack: fit refuses it, which is what happens without this key, or leaves out the pages that are the most links away from the first one." enum:"refuse,leave-out"`
	IgnoreQuery []string `yaml:"ignore_query" doc:"Names of query parameters that do not choose among copies, with * for any rest; without it all of them. A file with others comes from the network."`
	Verify      string   `yaml:"verify" doc:"Whether an answer with other bytes than this release has makes the installation fail; no for hosts that change files on the way." enum:"yes,no"`
}

// Rule is one pattern of requests and how they are answered.
type Rule struct {
	Match       string   `yaml:"match" doc:"URL Pattern of the requests; a path, or a whole URL for other origins." need:"yes"`
	Destination string   `yaml:"destination" doc:"Only requests for this kind of resource; data is what scripts fetch." enum:"document,data,style,script,image,font,audio,video,track,manifest,worker,iframe,embed,object,report,xslt,json"`
	Method      string   `yaml:"method" doc:"The request method; without it GET." enum:"GET,POST,PUT,PATCH,DELETE"`
	Answer      string   `yaml:"answer" doc:"The approach; cache-only answers from whatever your own scripts put into caches." enum:"cache-first,network-first,stale-while-revalidate,network-only,cache-only" need:"yes"`
	Patience    Duration `yaml:"patience" doc:"How long to wait for the network before the kept copy is used, such as 3s."`
	Keep        Keep     `yaml:"keep" doc:"How long and how much is kept; the oldest goes first."`
	Statuses    []int    `yaml:"statuses" doc:"Statuses of answers that are kept; without it 200."`
	Opaque      string   `yaml:"opaque" doc:"Also keep answers of other origins whose content the worker may not see, errors among them." enum:"yes,no"`
	IgnoreQuery []string `yaml:"ignore_query" doc:"Names of query parameters that do not choose among copies, with * for any rest."`
	EvenPrivate string   `yaml:"even_private" doc:"Also keep answers marked no-store and answers to requests with Authorization." enum:"yes,no"`
	Tell        string   `yaml:"tell" doc:"Tell the page when a fresh answer differs from the copy it was given." enum:"yes,no"`
	AtInstall   string   `yaml:"at_install" doc:"Fetch what packed pages ask for, and this rule answers, when the worker is installed; all takes every file of the site that it matches as well; without it that is kept from the second visit on." enum:"yes,all,no"`
	OnRelease   string   `yaml:"on_release" doc:"What becomes of copies when a release changes pages or files that the rule matches; refresh fetches them again while the release is installed." enum:"refresh,drop,keep"`
}

// Keep bounds what a rule keeps. Zero values are no bound.
type Keep struct {
	For    Duration `yaml:"for" doc:"How long a copy is used, such as 1d."`
	AtMost int      `yaml:"at_most" doc:"How many answers are kept."`
	Bytes  Size     `yaml:"bytes" doc:"How much they may weigh together, such as 5 MB."`
}

// Shell is the page that answers navigations to addresses which the site has no file for.
type Shell struct {
	Page   string   `yaml:"page" doc:"The page; it is packed with everything it asks for." check:"path"`
	Except []string `yaml:"except" doc:"URL patterns of pages that the network answers; addresses with a file extension are left to it anyway."`
}

// StandIns names what is shown in place of something that cannot be had.
type StandIns struct {
	Page   string      `yaml:"page" doc:"Shown when a page cannot be had; make has fit make one." check:"path" or:"make"`
	Status int         `yaml:"status" doc:"The status that the page is shown with; without it its own, 200."`
	Image  string      `yaml:"image" doc:"Shown when a picture cannot be had; make has fit make one." check:"path" or:"make"`
	Font   string      `yaml:"font" doc:"Used when a font cannot be had." check:"path"`
	Data   DataStandIn `yaml:"data" doc:"Answers what scripts fetch from this site when it cannot be had."`
	Words  Words       `yaml:"words" doc:"What the page stand-in says that fit makes; without it, usual words in the app's language."`

	// MakePage and MakeImage tell that fit makes the stand-in, at the address that Page or Image then has.
	MakePage, MakeImage bool `yaml:"-"`
}

// Words are the texts of the page stand-in that fit makes.
type Words struct {
	Heading string `yaml:"heading" doc:"What has happened, in a few words."`
	Text    string `yaml:"text" doc:"What it means for the visitor."`
	Again   string `yaml:"again" doc:"The button that tries again."`
	Kept    string `yaml:"kept" doc:"What stands before the links to pages that are kept."`
}

// Make is what a stand-in is called that fit is to make.
const Make = "make"

// StandInPage and StandInImage are the names of the files that are made, beside the project file and in the site.
const (
	StandInPage  = "stand-in.html"
	StandInImage = "stand-in.svg"
)

// DataStandIn is an answer to scripts, given in the project file itself.
type DataStandIn struct {
	Match  string `yaml:"match" doc:"URL pattern of the requests; without it everything that scripts fetch from this site."`
	Body   string `yaml:"body" doc:"The answer's body, such as {\"offline\": true}."`
	Type   string `yaml:"type" doc:"Its media type; without it application/json."`
	Status int    `yaml:"status" doc:"Its status; without it 503."`
}

// Register says where pages register the worker.
type Register struct {
	Hosts []string `yaml:"hosts" doc:"Only on these hosts, with * for any part; without it on all. Elsewhere a registration that is there is removed."`
	OffOn []string `yaml:"off_on" doc:"Not on these hosts, such as localhost."`
	Check Duration `yaml:"check" doc:"How often an open page looks for a new release, beside each time it comes back to the front; without it 1h."`
}

// Audit says which targets are judged and which pages are visited.
type Audit struct {
	Targets []string   `yaml:"targets" doc:"Kinds of browser to judge for." enum:"targets"`
	FailOn  string     `yaml:"fail_on" doc:"The lightest weight that makes the audit end with status 1." enum:"blocker,risk,polish"`
	Entry   string     `yaml:"entry" doc:"The first page a visitor opens." check:"path"`
	Visit   []string   `yaml:"visit" doc:"Pages opened online, in this order, before the network goes away." check:"path"`
	Pages   []string   `yaml:"pages" doc:"URLs to try beside the pages that were found." check:"path"`
	Weights []Weighing `yaml:"weights" doc:"Checks that weigh more or less here than they usually do."`
	Scripts string     `yaml:"scripts" doc:"Whether the scripts of pages run, which is what happens without it, or are only read." enum:"run,read"`
	Profile string     `yaml:"one_profile" doc:"Whether pages are tried one after the other in one profile, rather than each from where the visits ended." enum:"yes,no"`
	Presses string     `yaml:"presses" doc:"Whether buttons, tabs and menus of pages are pressed, to see what they ask for; without it yes for folders, no for live sites." enum:"yes,no"`
	Limits  Limits     `yaml:"limits" doc:"What the site may not exceed."`
	Crawl   Crawl      `yaml:"crawl" doc:"How far the links of a live site are followed."`
	Asks    []Asks     `yaml:"asks" doc:"Requests that pages make only when somebody does something on them."`
}

// Releases says how much is kept of releases for later handovers. Zero values are the usual ones.
type Releases struct {
	Budget Size `yaml:"budget" doc:"How much of the site's text is kept of all recorded releases together; without it 64 MB."`
	AtMost int  `yaml:"at_most" doc:"How many releases are kept; without it 6."`
}

// Weighing gives a check another weight, with the reason.
type Weighing struct {
	Check  string `yaml:"check" doc:"The check's code, such as worker.heavy." need:"yes"`
	Weight string `yaml:"weight" doc:"Its weight here; off leaves its findings out." enum:"blocker,risk,polish,off" need:"yes"`
	Reason string `yaml:"reason" doc:"Why, for those who read the report." need:"yes"`
	// Pages is empty for all pages.
	Pages []string `yaml:"pages" doc:"Patterns of the pages that this is for, such as /chart/*; without it all."`
	// On is empty for all targets.
	On []string `yaml:"on" doc:"The targets that this is for; without it all." enum:"targets"`
}

// Limits are what the audit counts as too much or too little. Zero values are no limit.
type Limits struct {
	Kept         Size `yaml:"kept" doc:"How much may be kept after the first visits, such as 3 MB."`
	Files        int  `yaml:"files" doc:"How many answers may be kept after the first visits."`
	Requests     int  `yaml:"requests" doc:"How many requests the worker may make to be installed."`
	WholeOffline int  `yaml:"whole_offline" doc:"How many of a hundred pages have to be whole offline."`
}

// Crawl bounds how links of a live site are followed.
type Crawl struct {
	AtMost int `yaml:"at_most" doc:"How many pages are opened; without it 200."`
	Depth  int `yaml:"depth" doc:"How many links away from the first page; without it 50."`
	// AnswerWithin and AllWithin are 0 where nothing is said.
	AnswerWithin Duration `yaml:"answer_within" doc:"How long each answer of a live site may take; without it 20s."`
	AllWithin    Duration `yaml:"all_within" doc:"How long all of them may take together; without it 10m."`
}

// Shops names app shops.
type Shops struct {
	Android AndroidApp `yaml:"android" doc:"The app as it is packed for Android; fit writes the file that proves that both belong together."`
}

// AndroidApp is an app for Android that shows the site.
type AndroidApp struct {
	Package      string   `yaml:"package" doc:"Its package name, such as example.skerry.line."`
	Fingerprints []string `yaml:"fingerprints" doc:"SHA-256 fingerprints of the certificates it is signed with, as 32 pairs of hexadecimal digits with colons."`
}

// Asks is what pages ask for when their scripts run.
type Asks struct {
	Page string   `yaml:"page" doc:"The page's path; a * at its end stands for any rest." need:"yes" check:"path"`
	For  []string `yaml:"for" doc:"Paths, or whole URLs on other origins." need:"yes"`
}

// Hosting describes a host that does more than answer with files.
type Hosting struct {
	Index         []string          `yaml:"index" doc:"Names of a folder's index file."`
	Extensionless string            `yaml:"extensionless" doc:"What /about does where about.html is." enum:"none,answer,redirect"`
	Slash         string            `yaml:"slash" doc:"Folders with or without a slash at the end." enum:"add,remove,keep"`
	SinglePage    string            `yaml:"single_page" doc:"File that answers unknown paths with status 200." check:"path"`
	NotFound      string            `yaml:"not_found" doc:"File that answers unknown paths with status 404." check:"path"`
	MediaTypes    map[string]string `yaml:"media_types" doc:"Media types by extension or path."`
	Headers       []HeaderRule      `yaml:"headers" doc:"Response headers by pattern; every entry that matches applies, later ones win."`
	Redirects     []Redirect        `yaml:"redirects" doc:"Redirects, looked at before anything else."`
	Statuses      []StatusRule      `yaml:"statuses" doc:"Paths that answer with another status."`
	Answers       []Answer          `yaml:"answers" doc:"What a server behind the host answers; the first that matches counts."`
	// BackendElsewhere allows the backend to be on another machine; only the command line says so.
	BackendElsewhere bool   `yaml:"-"`
	Backend          string `yaml:"backend" doc:"A server on this machine that is asked for what no file answers, with GET and HEAD only." check:"origin"`
	Hidden           string `yaml:"hidden" doc:"Whether files answer whose name or folder begins with a dot; /.well-known/ always does." enum:"answer,refuse"`
}

// HeaderRule sets or (with a null value) removes response headers of the URLs it matches.
type HeaderRule struct {
	Match string             `yaml:"match" doc:"URL pattern." need:"yes" check:"pattern"`
	Set   map[string]*string `yaml:"set" doc:"Header names to values; null takes a header away." need:"yes"`
}

// Redirect answers the URLs it matches with a redirect.
type Redirect struct {
	Match        string `yaml:"match" doc:"URL pattern." need:"yes" check:"pattern"`
	To           string `yaml:"to" doc:"Where to; :name takes what the pattern captured." need:"yes"`
	Status       int    `yaml:"status" doc:"301, 302, 303, 307 or 308."`
	UnlessCookie string `yaml:"unless_cookie" doc:"Not when the request has a cookie of that name."`
}

// Answer is what a server behind the host answers to requests that match.
type Answer struct {
	Match     string `yaml:"match" doc:"URL pattern." need:"yes" check:"pattern"`
	File      string `yaml:"file" doc:"A file with the answer's body; its path starts at the project file's folder."`
	Method    string `yaml:"method" doc:"The request method; without it GET." enum:"GET,POST,PUT,PATCH,DELETE"`
	Status    int    `yaml:"status" doc:"The answer's status; without it 200."`
	MediaType string `yaml:"media_type" doc:"The answer's media type; without it that of the file's name."`
}

// StatusRule answers the URLs it matches with another status.
type StatusRule struct {
	Match        string `yaml:"match" doc:"URL pattern." need:"yes" check:"pattern"`
	Status       int    `yaml:"status" doc:"The status, 200 to 599." need:"yes"`
	UnlessCookie string `yaml:"unless_cookie" doc:"Not when the request has a cookie of that name."`
}

// Rehearsal is a scripted visit: steps, and what should come of them.
type Rehearsal struct {
	Name  string `yaml:"name" doc:"What it is about, in a few words." need:"yes"`
	Steps []Step `yaml:"steps" doc:"What a visitor does and what happens to them, in order." need:"yes"`
}

// Step is one step of a rehearsal: one of its keys, and the tab that it is about.
type Step struct {
	Open         string       `yaml:"open" doc:"Open this path, as if it were typed in." check:"path"`
	Follow       string       `yaml:"follow" doc:"Follow the link to this path on the page that is shown." check:"path"`
	Reload       string       `yaml:"reload" doc:"Reload the page; past-worker asks the network alone, as a reload with Shift does." enum:"normal,past-worker"`
	History      string       `yaml:"history" doc:"Go to the page that the tab showed before, or after, as the arrows beside the address do." enum:"back,forward"`
	Launch       string       `yaml:"launch" doc:"Open the app as its icon does." enum:"home-screen"`
	Close        string       `yaml:"close" doc:"Close the tab, or all of the browser." enum:"tab,browser"`
	Wait         Duration     `yaml:"wait" doc:"Let time go by, such as 3s."`
	Network      string       `yaml:"network" doc:"Change the state of the network." enum:"conditions"`
	Deploy       string       `yaml:"deploy" doc:"Put another folder in the place of the site, as a release does."`
	Stop         string       `yaml:"stop" doc:"Stop the running worker, as browsers do with idle ones." enum:"worker"`
	Evict        string       `yaml:"evict" doc:"Throw away what the browser keeps for the site." enum:"caches,databases,cookies,everything"`
	Push         *string      `yaml:"push" doc:"Deliver a push message with this text."`
	Sync         string       `yaml:"sync" doc:"Deliver a sync event with this tag."`
	PeriodicSync string       `yaml:"periodic_sync" doc:"Deliver a periodic sync event with this tag."`
	Click        string       `yaml:"click" doc:"Click what is found by this selector, or reads so."`
	Type         *Typing      `yaml:"type" doc:"Type a text into a field."`
	Choose       *Choosing    `yaml:"choose" doc:"Choose an option of a field."`
	Submit       string       `yaml:"submit" doc:"Submit the form that is found by this selector, or holds what reads so."`
	Notification string       `yaml:"notification" doc:"Click the notification with this tag or title."`
	Cookie       string       `yaml:"cookie" doc:"Set a cookie, NAME=VALUE; without a value it is taken away."`
	Expect       *Expectation `yaml:"expect" doc:"What should hold now."`
	Tab          string       `yaml:"tab" doc:"The tab that the step is about; a new name opens another."`
}

// Typing is a text that goes into a field.
type Typing struct {
	Into string `yaml:"into" doc:"The field, by a selector, its label or its placeholder." need:"yes"`
	Text string `yaml:"text" doc:"What is typed." need:"yes"`
}

// Choosing is an option that is chosen in a field.
type Choosing struct {
	From   string `yaml:"from" doc:"The field, by a selector or its label." need:"yes"`
	Option string `yaml:"option" doc:"The option, as it reads, or its value." need:"yes"`
}

// Expectation is what should hold at a point of a rehearsal. Keys that are left away ask for nothing.
type Expectation struct {
	Outcome    string   `yaml:"outcome" doc:"What became of the page that is shown." enum:"whole,partial,stand-in,lost,stuck"`
	Status     int      `yaml:"status" doc:"The status of its document."`
	Title      string   `yaml:"title" doc:"Its title."`
	Address    string   `yaml:"address" doc:"Its address after redirects." check:"path"`
	AnsweredBy string   `yaml:"answered_by" doc:"Where its document came from: network, worker, cache, a cache by name, or history where the tab had kept it as it was."`
	Shows      string   `yaml:"shows" doc:"Text that it draws; with a tag in it, markup of its document as it came."`
	Links      []string `yaml:"links" doc:"Paths that it links to." check:"path"`

	Storage      map[string]string `yaml:"storage" doc:"Values that its local storage holds, by their keys."`
	Missing      []string          `yaml:"missing" doc:"Exactly what it asked for and did not get; [] for nothing."`
	Controlled   string            `yaml:"controlled" doc:"Whether a worker controls it." enum:"yes,no"`
	Worker       string            `yaml:"worker" doc:"The state of the active worker." enum:"none,activating,activated"`
	Waiting      string            `yaml:"waiting" doc:"Whether another worker waits to take over." enum:"yes,no"`
	Kept         []string          `yaml:"kept" doc:"Addresses that are in a cache."`
	NotKept      []string          `yaml:"not_kept" doc:"Addresses that are in none."`
	Asked        []string          `yaml:"asked" doc:"Addresses that the network was asked for in the step before."`
	NotAsked     []string          `yaml:"not_asked" doc:"Addresses that it was not asked for."`
	Says         string            `yaml:"says" doc:"Text that the worker wrote on the console."`
	Notification string            `yaml:"notification" doc:"A notification with this title or tag is shown."`
}

// OtherOrigin is another origin that pages fetch from. Without a folder it counts as reachable with unknown content.
type OtherOrigin struct {
	Origin string  `yaml:"origin" doc:"Scheme and host." need:"yes" check:"origin"`
	Folder string  `yaml:"folder" doc:"A folder with what it answers."`
	Host   Hosting `yaml:"hosting" doc:"How that host answers."`
}

// Place is a position in the project file; lines and columns count from 1.
type Place struct{ Line, Column int }

// PlaceOf gives where a key such as "worker.rules[1].match" stands, or a zero Place.
func (p *Project) PlaceOf(key string) Place { return p.places[key] }

// fill puts defaults where the file says nothing.
func (p *Project) fill() {
	set := func(s *string, v string) {
		if *s == "" {
			*s = v
		}
	}
	set(&p.Addr, "/")
	if p.Addr[len(p.Addr)-1] != '/' {
		p.Addr += "/"
	}
	set(&p.Audit.FailOn, "risk")
	set(&p.Audit.Entry, p.Addr)
	if len(p.Audit.Targets) == 0 {
		p.Audit.Targets = target.All
	}
	if len(p.Audit.Visit) == 0 {
		p.Audit.Visit = []string{p.Audit.Entry}
	}
	if p.Audit.Crawl.AtMost == 0 {
		p.Audit.Crawl.AtMost = 200
	}
	if p.Audit.Crawl.Depth == 0 {
		p.Audit.Crawl.Depth = 50
	}
	set(&p.Worker.File, p.Addr+"worker.js")
	set(&p.Worker.Takeover, "ask")
	if p.Worker.Register.Check == 0 {
		p.Worker.Register.Check = Duration(time.Hour)
	}
	set(&p.Icons.Folder, p.Addr+"icons/")
	if s := &p.Worker.StandIns; s.Page == Make {
		s.Page, s.MakePage = p.Addr+StandInPage, true
	}
	if s := &p.Worker.StandIns; s.Image == Make {
		s.Image, s.MakeImage = p.Addr+StandInImage, true
	}
	p.Host.fill()
	for i := range p.Others {
		p.Others[i].Host.fill()
	}
}

// locate has the paths of answers start where the project file lies.
func (h *Hosting) locate(dir string) {
	for i := range h.Answers {
		if file := &h.Answers[i].File; *file != "" && !filepath.IsAbs(*file) {
			*file = filepath.Join(dir, *file)
		}
	}
}

func (h *Hosting) fill() {
	if len(h.Index) == 0 {
		h.Index = []string{"index.html"}
	}
	if h.Extensionless == "" {
		h.Extensionless = "none"
	}
	if h.Slash == "" {
		h.Slash = "add"
	}
	for i := range h.Answers {
		if h.Answers[i].Method == "" {
			h.Answers[i].Method = "GET"
		}
		if h.Answers[i].Status == 0 {
			h.Answers[i].Status = 200
		}
	}
	for i := range h.Redirects {
		if h.Redirects[i].Status == 0 {
			h.Redirects[i].Status = 302
		}
	}
}

// HasWorker says whether the file describes a worker that fit is to write.
func (p *Project) HasWorker() bool {
	w := p.Worker
	if w.Present.File != "" && w.Replace != "yes" {
		return false // the site has its own
	}
	return len(w.Pack.Include) > 0 || len(w.Pack.Pages) > 0 || len(w.Rules) > 0 || w.Shell.Page != "" ||
		w.StandIns.Page != "" || w.Module != ""
}

// SiteDir is the site folder as a path that can be opened, or "" when none is named.
func (p *Project) SiteDir() string {
	if p.Site == "" || filepath.IsAbs(p.Site) || strings.HasPrefix(p.Site, "http://") ||
		strings.HasPrefix(p.Site, "https://") {
		return p.Site
	}
	return filepath.Join(p.Dir, p.Site)
}

// Default gives a project without a file, for a site folder or URL named on the command line.
func Default(site string) *Project {
	p := &Project{Site: site, places: map[string]Place{}}
	p.fill()
	return p
}

// Find walks up from dir and gives the first project file it meets, or "".
func Find(dir string) string {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return ""
	}
	for {
		path := filepath.Join(dir, FileName)
		if info, err := os.Stat(path); err == nil && !info.IsDir() {
			return path
		}
		parent := filepath.Dir(dir)
		if parent == dir {
			return ""
		}
		dir = parent
	}
}

// fileLimit bounds a project file, in bytes.
const fileLimit = 4 << 20

// Load reads and checks the project file at path. All mistakes in it come back together as a problem.List.
func Load(path string) (*Project, error) {
	text, err := inputfile.Read(path, fileLimit)
	if err != nil {
		mend := "check the path given with --project"
		if errors.Is(err, fs.ErrNotExist) {
			mend = "tachyform init SITE writes one"
		}
		return nil, &problem.Problem{Kind: problem.Usage, What: "the project file cannot be read: " + err.Error(),
			Where: path, Mend: mend, Cause: err}
	}
	p, err := Parse(path, text)
	if err != nil {
		return nil, err
	}
	p.Path = path
	p.Dir = filepath.Dir(path)
	p.Host.locate(p.Dir)
	for i := range p.Others {
		p.Others[i].Host.locate(p.Dir)
	}
	return p, nil
}
