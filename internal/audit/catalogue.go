package audit

import (
	"tachyform/internal/target"
)

// Check is what can be found: its code, how heavy it weighs, and the words for it.
type Check struct {
	Code   string `json:"code"`
	Weight string `json:"weight"`
	// Title says what is wrong, Reason what a user feels of it, Mend what to do; the mend of a finding may be more exact.
	Title    string `json:"title"`
	Reason   string `json:"reason"`
	Mend     string `json:"mend"`
	Standard string `json:"standard,omitempty"`
	// Stops lists the targets that do not install the app because of it.
	Stops []string `json:"stops,omitempty"`
	// Example is a small case of it.
	Example string `json:"example,omitempty"`
}

var (
	chromium = []string{target.ChromiumAndroid, target.ChromiumDesktop}
	askers   = []string{target.ChromiumAndroid, target.ChromiumDesktop, target.FirefoxAndroid}
	readers  = []string{target.ChromiumAndroid, target.ChromiumDesktop, target.FirefoxAndroid, target.SafariIOS}
)

// Catalogue lists every check, in the order in which findings of one weight are shown.
var Catalogue = []Check{
	{"site.insecure", Blocker, "The site is not served securely", "Browsers run no service worker and install nothing over plain http.",
		"serve the site over https; http works on this machine only", "Secure Contexts, 3", askers, "http://skerry-line.example, without the s."},
	{"site.entry", Blocker, "The entry page does not open", "Nobody can install what does not open.",
		"set audit.entry to the first page of the site", "", target.All, "audit.entry is /start.html, and the host answers 404."},
	{"app.unlinked", Blocker, "The entry page links to no manifest", "Without a manifest a browser knows neither name nor icon, and offers no installation.",
		"tachyform fit adds the link to every page", "HTML, 4.6.8.9; Web App Manifest, 2.1", readers, "a <div> before <link rel=\"manifest\"> ends the head, and the link lies in the body."},
	{"app.unreachable", Blocker, "The manifest can't be fetched", "A browser that can't read the manifest offers no installation.",
		"check that the build copies the manifest and that the link's address is right", "Web App Manifest, 2.2", readers, "the build copies pages and styles, but not site.webmanifest."},
	{"app.unreadable", Blocker, "The manifest is thrown away", "For a mistake in its syntax, and for a few members of the wrong kind, browsers take nothing from a manifest.",
		"mend what stands at this place", "Web App Manifest, 2.2", readers, "\"name\": \"Skerry Line\", } with a comma before the brace; or the host answers with its page for unknown paths."},
	{"app.nameless", Blocker, "The app has no name", "There would be nothing to write under the icon.",
		`add "name" to the manifest`, "Web App Manifest, 1.6", chromium, "\"short_name\": 7, a number in the place of a text."},
	{"app.start", Blocker, "The start URL is missing or can't be used", "The browser would not know which page to open.",
		`add "start_url": "/" to the manifest`, "Web App Manifest, 1.8", chromium, "\"start_url\": \"https://www.skerry-line.example/\" on a site without www."},
	{"app.display", Blocker, "The app would open as an ordinary browser tab", "With this display mode browsers do not offer to install.",
		`set "display": "standalone" in the manifest`, "Web App Manifest, 1.9", readers, "\"display\": \"browser\"."},
	{"icon.unfit", Blocker, "No icon is fit for installing", "Browsers refuse to install without an icon they can show large enough.",
		"name a master picture under icons: and run tachyform fit", "Web App Manifest, 1.15", askers, "the largest icon has 96 pixels; 144 are needed."},
	{"app.related", Blocker, "The manifest sends people to an app of a shop instead", "With prefer_related_applications browsers offer the other app, not this one.",
		"remove prefer_related_applications", "Web App Manifest, application information", []string{target.ChromiumAndroid}, "\"prefer_related_applications\": true, left over from a template."},
	{"worker.failed", Blocker, "The service worker can't be installed", "Nothing is kept, and nothing works offline.",
		"mend what the evidence names; one missing file fails the whole installation", "Service Workers, 4.4", nil, "one of the files that the installation waits for was renamed and answers 404."},
	{"offline.start", Blocker, "The app does not start offline", "Who opens the app from the home screen without a network sees an error page.",
		"keep the start page: add it under worker.pack.include", "", nil, "/ is kept, but the app opens /?from=home-screen, and the worker looks for exactly that."},
	{"page.gone", Risk, "A page that the project file names does not answer", "Somebody expects this page to be there.",
		"mend the path under audit, or bring the page back", "", nil, "audit.pages names /lost.html, which was removed."},
	{"link.broken", Risk, "A page asks for a file that is not there", "The page is incomplete for everybody, online too.",
		"mend the address, or bring the file back", "", nil, "<img src=/pictures/peir.png>, and the file is pier.png."},
	{"link.refused", Risk, "A file comes under a type that browsers refuse", "The file is there, and yet the page looks or works as if it were not.",
		"let the host send the right media type: hosting.media_types says what it sends today", "Fetch, 2.2.6; HTML, 4.2.4", nil, "a style sheet sent as text/plain."},
	{"worker.none", Risk, "No page registers a service worker", "Without one nothing opens offline.",
		"describe pack and rules under worker: and run tachyform fit", "Service Workers, 3.1", nil, "the script that registers it stands in a file that no page loads."},
	{"worker.scope", Risk, "Pages lie outside the service worker's scope", "The worker never hears of these pages, so they do not open offline.",
		"put the worker's file into the folder that holds all pages", "Service Workers, 2.2", nil, "/js/worker.js cannot reach /; /worker.js can."},
	{"worker.rivals", Blocker, "Two workers are registered for the same pages", "They take turns in replacing each other at every visit; pages that load again at a takeover never come to rest.",
		"register one of them: take the other's call out of the pages", "Service Workers, 3.4.3", nil, "the framework registers /sw.js, and a tag that was added later /worker.js."},
	{"page.register", Risk, "Pages do not register the service worker", "Who arrives on such a page keeps nothing for offline use.",
		"tachyform fit adds the script", "Service Workers, 3.1", nil, "only the first page has the script; a visitor arriving from a search lands on another."},
	{"offline.unknown", Risk, "Of some pages nobody knows here whether they work offline", "What decides it was not seen: it may be whole or broken.",
		"open these pages offline in a browser; name what their scripts ask for under audit.asks", "", nil, "<body><div id=app></div><script src=app.js></script></body>: the page is what its script makes of it."},
	{"offline.lost", Risk, "Pages show the browser's error page", "A visitor without a network loses the page.",
		"keep them under worker.pack, or name a stand-in under worker.stand_ins.page", "", nil, "a page in no pack and without a stand-in."},
	{"offline.stuck", Risk, "Pages never open on a network that does not answer", "On a bad connection the visitor looks at a blank page.",
		"give the rule that answers them a patience, such as 3s", "", nil, "fetch(request).catch(…) in a worker: on a network that hangs, nothing ever fails."},
	{"offline.partial", Risk, "Pages open with parts missing", "Style, pictures or data are absent, and the page looks broken.",
		"keep the missing files too: under worker.pack.include or by a rule", "", nil, "the page is kept and its style sheet is not."},
	{"shop.proof", Risk, "The file that proves ownership to Android is missing or wrong", "The packed app shows the browser's bar, or the shop refuses it.",
		"tachyform fit writes it", "Digital Asset Links, 1.0", nil, "the build leaves folders out whose name begins with a dot."},
	{"limit.over", Risk, "A limit of the project file is exceeded", "The first visit costs more, or gives less, than this project allows itself.",
		"bring it under the limit, or change audit.limits", "", nil, "audit.limits.kept is 2 MB, and a new picture made it 2.3 MB."},
	{"worker.breaks", Risk, "The worker breaks requests that work without it", "Forms, sign-in or downloads fail as soon as the worker is there.",
		"let the worker leave such requests alone: call respondWith only for what it means to answer", "Service Workers, 4.6", nil, "every request is answered with cache.put, which refuses POST; or a redirected answer is given to a page load."},
	{"worker.ranges", Risk, "The worker answers with a whole file where a part was asked for", "Sound and film do not play in Safari, and can't be wound forward elsewhere.",
		"let requests with a Range header go to the network, or answer them with status 206", "RFC 9110, 14.2; Fetch, 5.6", nil, "caches.match() finds the whole film, and the browser asked for bytes 0 to 1."},
	{"worker.forgets", Risk, "The worker keeps its state in variables", "Browsers stop an idle worker after half a minute; what stood in its variables is gone, and pages with it.",
		"read what is needed from a cache or IndexedDB in the event itself", "Service Workers, 2.1", nil, "let ready = false, set to true when the installation has ended."},
	{"worker.slows", Risk, "The worker makes visitors wait", "What comes at once without the worker comes late with it, also on a good network.",
		"answer from what is kept first, or from the network without waiting for anything else", "Service Workers, 4.6", nil, "every answer waits for a message to all pages, or for a timer."},
	{"worker.stays", Risk, "The next release of the worker can't be installed", "Whoever has this release keeps it: mends never reach them.",
		"let the installation succeed also where an earlier release is installed", "Service Workers, 4.4", nil, "the install event creates what it created before, and fails because it is there."},
	{"worker.hasty", Risk, "A new release takes over pages that are open", "A page in the middle of its work gets styles, scripts and parts of another release, and breaks in ways that nobody can repeat.",
		"without skipWaiting() the new worker waits until all pages are closed; or let the page ask, and load itself anew on controllerchange; tachyform fit with takeover: ask does that", "Service Workers, 4.1.4", nil, "skipWaiting() in the install event, clients.claim(), and parts of pages that are loaded late."},
	{"keep.left", Risk, "Caches of earlier releases are never removed", "Every release leaves its files on the device, until the browser throws away all that the site has.",
		"delete in the activate event what the new release does not use: caches.keys(), then caches.delete()", "Service Workers, 5.5.4", nil, "pages-v3 is filled, and pages-v2 stays."},
	{"worker.renamed", Risk, "The worker's file is named after its content", "A page kept from an earlier release registers the old name for ever, and updates never arrive.",
		"serve the worker at one address that stays, such as /worker.js", "Service Workers, 4.4", nil, "/worker.3f9c2b71.js: the next release calls it /worker.88d01c4e.js."},
	{"keep.errors", Risk, "Error answers are kept", "A file that is missing once stays missing on that device.",
		"keep an answer only when its status is 200", "Service Workers, 5.4.5", nil, "cache.put(request, response.clone()) without a look at response.ok."},
	{"page.policy", Risk, "The security policy blocks the script that registers the worker", "The page looks right, and nothing is ever kept: the refusal stands in the console alone.",
		"move the script into a file, as tachyform fit does, or allow it by its hash", "CSP 3, 6.7.3", nil, "an inline script under script-src 'self'."},
	{"offline.signed-out", Risk, "What is shown offline can be had only by those who are signed in", "Who is signed out when the worker is installed keeps the sign-in page in its place, or nothing at all.",
		"let the host answer this address for everybody", "", nil, "/offline redirects to /sign-in as every page below / does."},
	{"site.http", Risk, "Plain http does not lead to https", "Who types the address without https meets a site that can't be installed and keeps nothing.",
		"let the host redirect http to https with status 301 or 308", "Secure Contexts, 3; RFC 6797, 7.2", nil, "http://skerry-line.example answers with status 200."},
	{"link.crossorigin", Risk, "Fonts are asked for ahead in a way that nothing uses", "The font comes twice, once for nothing; and the copy that was kept offline may be the wrong one.",
		"add crossorigin to the tag, also for fonts of the own origin", "HTML, 4.6.8.13; CSS Fonts 4, 4.8.2", nil, "<link rel=preload as=font href=/type.woff2> without crossorigin."},
	{"keep.partial", Risk, "A part of a file is kept as if it were all of it", "Sound and film break off for whoever asks for the rest later, offline and online.",
		"keep only whole answers: never one with status 206, also not copied into another", "RFC 9110, 15.3.7; Service Workers, 5.4.5", nil, "cache.put() refuses status 206, so the bytes are wrapped into new Response(bytes)."},
	{"keep.redirected", Risk, "Pages are kept with the redirect that led to them", "Browsers refuse a redirected answer to a page load: the page shows an error.",
		"keep the page under the address that it answers at, or a plain copy of the answer", "Fetch, 4.3", nil, "cache.add('/pier') where the host redirects to /pier/."},
	{"keep.grows", Risk, "What the worker keeps only grows", "Every address with another query is kept for ever, until the browser throws away all that the site has.",
		"bound it: keep: {at_most: 50} in the rule, or delete the oldest entries", "Storage, 5", nil, "every answer goes into one cache, and nothing is ever deleted."},
	{"link.mixed", Risk, "Pages ask for files over plain http", "Browsers block scripts, styles and data that are not secure on a secure page.",
		"write the address with https", "Mixed Content, 5", nil, "<script src=http://charts.example/draw.js> on an https page."},
	{"page.viewport", Risk, "Pages do not fit phones", "Without a viewport tag phones lay the page out a thousand pixels wide and shrink it.",
		"tachyform fit adds the tag", "CSS Viewport, 2", nil, "no <meta name=\"viewport\">."},
	{"keep.private", Risk, "Answers meant for one person are kept", "On a shared device the next person can read them, also after signing out.",
		"answer those requests from the network only, or have signing out call tachyform.forget()", "RFC 9111, 5.2.2.7; RFC 6265, 3", nil, "/account/ sets a cookie, and the worker keeps every page that is visited."},
	{"offline.other", Risk, "A page opens as another one", "Instead of the page somebody asked for, another page's content appears.",
		"keep the page itself", "", nil, "every page is answered with the first one, although they differ."},
	{"offline.lucky", Risk, "Pages work offline only by the browser's own cache", "The browser forgets what it cached whenever it likes; one day the page is broken.",
		"keep the files that are named: under worker.pack.include or by a rule", "RFC 9111", nil, "the pictures were sent with max-age=86400; tomorrow they are gone."},
	{"offline.phone", Risk, "Parts are missing on a phone's screen only", "Phones ask for other candidates of a picture or other styles than the screen you develop on.",
		"keep the candidates for small and dense screens too", "HTML, 4.8.4", nil, "srcset=\"pier.png 1x, pier-3x.png 3x\", and only pier.png is kept."},
	{"icon.missing", Risk, "An icon can't be fetched", "Where this icon was meant, a letter or a screenshot is shown.",
		"tachyform fit makes the icons anew", "Web App Manifest, 1.15", nil, "icons/192.png in the manifest lies beside the page; from the manifest's folder it is another path."},
	{"icon.lies", Risk, "An icon is not what it claims to be", "Browsers choose by the claim and then refuse the file.",
		"write the real size and type, or make the icons with tachyform fit", "Image Resource, 3", nil, "\"sizes\": \"512x512\" for a file of 500 by 500."},
	{"icon.damaged", Risk, "An icon can't be decoded", "Browsers drop it without a word.",
		"tachyform fit makes the icons anew", "", nil, "the upload broke off; the file has half of its bytes."},
	{"icon.cut", Risk, "A maskable icon would be cut", "Launchers cut maskable icons to a circle; what lies outside is lost.",
		"keep the content within a circle of 80 % of the width; tachyform fit does", "Web App Manifest, maskable icons", nil, "the letters of the logo reach into the corners."},
	{"app.ignored", Risk, "Browsers ignore a member of the manifest", "What was meant does not happen, and nothing says so.",
		"mend the value", "Web App Manifest", nil, "\"theme_color\": \"bluish\"."},
	{"app.start-answer", Risk, "The start URL does not answer with a page", "Who opens the app sees an error, or is sent on first and loses time each start.",
		"name the address of a page that answers with status 200", "Web App Manifest, 1.8", nil, "/start redirects to /."},
	{"app.shortcut", Risk, "A shortcut leads nowhere", "Who presses and holds the icon is offered an error page.",
		"mend the shortcut's url", "Web App Manifest, 1.16", nil, "/timetable was renamed to /tides."},
	{"page.manifest", Risk, "Pages lack the manifest link that others have", "Who arrives on such a page is not offered to install.",
		"tachyform fit adds the link", "HTML, 4.6.8.9", nil, "pages made by hand lack what the template has."},
	{"page.misspelt", Risk, "Tags bear names that no browser knows", "The tag does nothing, and nothing says so.",
		"mend the name; tachyform fit does with head: {mend: yes}", "HTML, 4.2.5.1 and 4.6.8", nil, "<meta name=\"theme-colour\"> or <link rel=\"apple-touch-icons\">."},
	{"app.twice", Risk, "Two manifests say that they are the same app", "Which one somebody installs depends on the page they came by, and one replaces the other.",
		"link to one manifest from all pages, or give each an id of its own", "Web App Manifest, 1.5", nil, "/m.json and /en/m.json, neither with an id, both starting at /."},
	{"icon.black", Risk, "The Apple touch icon is transparent", "iPhones lay black under it.",
		"give it a ground: tachyform fit makes one with icons.backdrop", "", nil, "a dark blue mark on nothing becomes dark blue on black."},
	{"page.invalid", Risk, "Pages are damaged", "The text breaks off or is not in the encoding it claims.",
		"build the page again and save it as UTF-8", "", nil, "saved in a western encoding and served as UTF-8."},
	{"shop.lacks", Polish, "The manifest lacks what app shops ask for", "The shop's form has to be filled in by hand, or the app is refused.",
		"add the members under app:", "Web App Manifest, application information", nil, "no description and no screenshots."},
	{"offline.first", Polish, "The app is whole offline from the second visit on only", "Who installs it at the first visit and goes offline meets a page with gaps.",
		"put what the start page needs into the pack, or write at_install: yes into the rule that keeps it", "Service Workers, 3.1.1", nil, "the times of sailing are kept by a rule, and the worker answers no request of the visit that installs it."},
	{"site.plain", Polish, "The host sends text uncompressed", "Pages and their styles and scripts take several times as long to arrive.",
		"switch on gzip or brotli for text at the host", "RFC 9110, 8.4", nil, "a style sheet of 120 kB that would be 20 kB."},
	{"worker.disguises", Polish, "What is not there looks as if it were", "A visitor with a wrong address gets another page and status 200; search engines and developers are misled.",
		"answer with the kept page only when the network fails, or let the host do the same for unknown addresses (hosting.single_page)", "", nil, "every navigation is answered with the kept start page."},
	{"worker.delayed", Polish, "Caches may hold the worker's script back", "A release reaches people later than it could; a proxy or an old browser may keep the old script for a day.",
		"send the script with Cache-Control: no-cache", "Service Workers, 4.4", nil, "all .js files are sent with max-age=31536000, the worker among them."},
	{"worker.heavy", Polish, "The installation is heavy", "The first visit costs that much on a metered connection, and half-way it may break off.",
		"keep less: worker.pack.leave_out, or rules for what is rarely seen", "", nil, "the pack holds every picture in three sizes."},
	{"app.stale", Polish, "The manifest may come from the HTTP cache for days", "A new name or icon reaches people who have the app late.",
		"send the manifest with Cache-Control: no-cache", "RFC 9111, 4.2", nil, "Cache-Control: max-age=604800 on .webmanifest files."},
	{"page.stale", Polish, "Pages may come from the HTTP cache for days", "Who has a page keeps the old one, and a mend reaches them late.",
		"send pages with Cache-Control: no-cache; long times are for files whose names carry a hash", "RFC 9111, 4.2", nil, "Cache-Control: max-age=604800 on .html files."},
	{"page.language", Polish, "Pages name no language", "Screen readers guess how to pronounce them, and browsers offer to translate.",
		"add lang to <html>, such as <html lang=\"en\">", "HTML, 3.2.6.2", nil, "<html> without lang."},
	{"page.title", Polish, "Pages have no title", "The task switcher and the history show an address.",
		"add a <title>", "HTML, 4.2.2", nil, "a template that never fills in its title."},
	{"app.bare", Polish, "The install prompt has nothing to tell but the name", "With a description and screenshots browsers show what people are about to install.",
		"add description: and screenshots: under app:", "Web App Manifest, application information", nil, "a manifest with name and icons only."},
	{"app.id", Polish, "The manifest names no id", "The app is known by its start_url: change that one day, and browsers take it for another app beside the installed one.",
		`add "id": and the start_url of today, and never change it`, "Web App Manifest, 1.5", nil, "start_url becomes /home, and everybody has two apps."},
	{"app.one-sided", Polish, "Screenshots are there for one kind of screen only", "Install prompts show those for their own screen: wide ones on a desktop, narrow ones on a phone.",
		"add one for the other kind, with its form_factor", "Web App Manifest, application information", nil, "three pictures of a phone, none with \"form_factor\": \"wide\"."},
	{"app.more", Polish, "The app could greet people better", "What is missing here is not wrong; with it the app feels more like one.",
		"add what is named, where it makes sense", "Web App Manifest, 1.16", nil, "a timetable without shortcuts to its lines; a blank screen on iPhones while the app starts."},
	{"app.unknown", Polish, "The manifest has members that no standard knows", "They do nothing; most are slips of the pen.",
		"remove them or mend the name", "Web App Manifest", nil, "\"nmae\", or members of a browser extension's manifest."},
	{"app.screenshot", Polish, "A screenshot is passed over", "The richer install prompt shows fewer pictures, or does not appear.",
		"mend the file or its declared size", "Web App Manifest, application information", nil, "a picture of 300 by 1200 pixels."},
	{"app.cut", Polish, "The name is cut off under the icon", "People read a fragment on their home screen.",
		"add a short_name of at most 12 characters", "Web App Manifest, 1.7", nil, "Skerry Line sailings becomes Skerry Line …"},
	{"app.differs", Polish, "Manifest and page do not say the same", "Name or colour change with the page and the kind of browser.",
		"write the same in both", "Web App Manifest, 1.6 and theme_color", nil, "the theme colour is #0b4f6c in the manifest and #fff in the page."},
	{"app.flash", Polish, "The splash flashes against the start page", "When the app starts, the screen jumps from one colour to another.",
		"write the page's own colour as background_color", "Web App Manifest, background_color", nil, "a white splash before a page on dark blue."},
	{"app.contrast", Polish, "The app's name can hardly be read in its bar", "The bar has the theme colour, and neither white nor black text stands out on it.",
		"choose a darker or a lighter theme_color", "WCAG 2.2, 1.4.3", nil, "\"theme_color\": \"#7a7a7a\"."},
	{"app.partly", Polish, "Some kinds of browser pass parts of the manifest over", "What people can do elsewhere is not there for them.",
		"nothing to mend where the app works without; else offer another way to the same", "Web App Manifest; Manifest Incubations", nil, "files open with the app on a desktop only."},
	{"icon.blurred", Polish, "An icon was enlarged", "It looks out of focus beside its neighbours.",
		"name a larger master, best an SVG, under icons: and run tachyform fit", "", nil, "the favicon of 48 pixels, scaled up to 512."},
	{"icon.heavy", Polish, "An icon is far heavier than it has to be", "It is fetched before the install prompt and kept by everybody.",
		"tachyform fit makes small ones", "", nil, "a photo of 512 by 512 pixels as PNG, 400 kB."},
	{"page.double", Polish, "Pages link to several manifests", "The first link counts; the others do nothing.",
		"take the others out", "HTML, 4.6.8.9", nil, "the template's link and one that a plugin added."},
	{"page.obsolete", Polish, "Tags are of no more use", "They are sent with every page for nothing.",
		"take them out, or write the name that took their place", "", nil, "msapplication-TileColor, which no browser reads any more."},
	{"icon.faint", Polish, "An icon can hardly be seen on white", "Install prompts and many launchers are white; people see a blank or a fragment.",
		"give the picture a ground: name icons.backdrop, and tachyform fit lays it under", "", nil, "a cream sail on nothing, in a white prompt."},
	{"icon.maskable", Polish, "There is no maskable icon", "Android puts the icon on a white disc instead of filling the shape.",
		"tachyform fit makes one", "Web App Manifest, maskable icons", nil, "all icons have the purpose any."},
	{"page.theme", Polish, "Pages set no theme colour", "The bar around the page keeps the system's colour.",
		"tachyform fit adds the tag", "HTML, 4.2.5.1", nil, "no <meta name=\"theme-color\">."},
	{"page.icon", Polish, "Pages link to no icon", "The tab shows a blank sheet.",
		"tachyform fit adds the link", "HTML, 4.6.8.8", nil, "no <link rel=\"icon\">."},
	{"page.apple", Polish, "Pages name no Apple touch icon", "Added to an iPhone's home screen, the site shows a screenshot.",
		"tachyform fit adds the link", "", nil, "no <link rel=\"apple-touch-icon\">."},
	{"keep.opaque", Polish, "Files of other origins are kept unseen", "Nobody can tell an error page from the file, and browsers count each as several megabytes of what the site may keep.",
		"add crossorigin to their tags where the other origin allows it (Access-Control-Allow-Origin)", "Fetch, 2.2.6; Storage, 4", nil, "a map's tiles, fetched with no-cors and put into a cache."},
	{"app.apart", Polish, "Who adds the app on an iPhone has to sign in again", "The added app has a storage of its own: cookies and everything kept in Safari are not there.",
		"let people sign in within the app, and open it online once before it is needed offline", "", nil, "a session cookie that /sign-in sets in Safari."},
	{"worker.beyond", Polish, "The worker uses what Tachyform does not simulate", "What depends on it was not tried here: look at it in a browser.",
		"nothing is wrong with the site; check this part by hand", "", nil, "new Intl.NumberFormat() in the worker; numbers are formatted plainly here."},
	{"offline.stand-in", Polish, "Pages open as the stand-in", "The visitor is told that the page can't be had; for pages that need the network that is right.",
		"keep the pages that should open offline", "", nil, "a page that shows the ferry's position needs the network anyway."},
}

func checkOf(code string) Check {
	for _, c := range Catalogue {
		if c.Code == code {
			return c
		}
	}
	panic("audit: no check " + code)
}

func orderOf(code string) int {
	for i, c := range Catalogue {
		if c.Code == code {
			return i
		}
	}
	return len(Catalogue)
}
