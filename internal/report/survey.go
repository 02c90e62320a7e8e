package report

import (
	"fmt"
	"strings"

	"tachyform/internal/survey"
)

// Survey shows what a look at the site found.
func Survey(s *survey.Summary, width int) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s  %s, %s, %s\n\n", bold.Render(s.Site), count(s.Pages, "page", "pages"),
		count(s.Files, "file", "files"), size(s.Bytes))
	heading := func(text string) { fmt.Fprintln(&b, bold.Render(text)) }
	heading("WHAT IT IS")
	fmt.Fprintf(&b, "  %s\n", wrap(kindText(s), width-2, 2))
	if s.Unopened > 0 {
		fmt.Fprintf(&b, "  %s\n", each(faint, wrap(fmt.Sprintf("%s opened; %d more have the same scripts as some of those", count(s.Opened, "page", "pages"),
			s.Unopened), width-2, 2)))
	}
	for _, i := range s.Told {
		fmt.Fprintf(&b, "  %s: %s\n    %s\n", safe(i.Key), safe(i.Value), each(faint, wrap(safe(Inferred(i)), width-4, 4)))
	}
	if len(s.Routes) > 0 {
		fmt.Fprintf(&b, "  %s\n", wrap(safe("drawn: "+strings.Join(s.Routes[:min(8, len(s.Routes))], "  ")+
			more(len(s.Routes)-8)), width-2, 4))
	}
	b.WriteByte('\n')
	heading("FILES")
	for _, k := range s.Kinds {
		fmt.Fprintf(&b, "  %s%s  %s\n", pad(k.Kind, 10), padLeft(fmt.Sprint(k.Files), 5), padLeft(size(k.Bytes), 8))
	}
	b.WriteByte('\n')
	heading("HEAVIEST")
	for _, f := range s.Heaviest {
		fmt.Fprintf(&b, "  %s  %s\n", padLeft(size(f.Bytes), 8), fitTo(safe(f.URL), width-14))
	}
	b.WriteByte('\n')
	heading("WIRED ALREADY")
	wired := func(name string, n int, detail string) {
		text := faint.Render("on no page")
		switch {
		case n == s.Pages:
			text = green.Render("on every page")
		case n > 0:
			text = yellow.Render(fmt.Sprintf("on %d of %d pages", n, s.Pages))
		}
		fmt.Fprintf(&b, "  %s%s", pad(name, 17), text)
		if detail != "" {
			b.WriteString("  " + safe(detail))
		}
		b.WriteByte('\n')
	}
	wired("manifest", s.Wired.Manifest, s.Wired.URL)
	wired("service worker", s.Wired.Worker, s.Wired.WorkerURL)
	wired("theme colour", s.Wired.ThemeColor, "")
	wired("icon", s.Wired.Icon, "")
	wired("Apple touch icon", s.Wired.AppleIcon, "")
	if len(s.Broken) > 0 {
		b.WriteByte('\n')
		heading("BROKEN")
		for _, x := range s.Broken[:min(8, len(s.Broken))] {
			places := ""
			if x.Places > 1 {
				places = fmt.Sprintf(" and %s more", count(x.Places-1, "place", "places"))
			}
			fmt.Fprintf(&b, "  %s is not there\n    %s\n", safe(x.URL),
				faint.Render(fmt.Sprintf("asked for by %s line %d%s", safe(x.From), x.Line, places)))
		}
		if n := len(s.Broken) - 8; n > 0 {
			fmt.Fprintf(&b, "  and %d more\n", n)
		}
	}
	if len(s.Unanswered) > 0 {
		b.WriteByte('\n')
		heading("LINKS WORK BY CLICK, THEIR ADDRESSES DO NOT")
		fmt.Fprintf(&b, "  %s\n  %s\n", wrap(safe(strings.Join(s.Unanswered[:min(8, len(s.Unanswered))], "  ")+more(len(s.Unanswered)-8)), width-2, 2),
			each(faint, wrap("The host answers them with an error: have it answer with the app's page. tachyform audit has the rule for your host.", width-2, 2)))
	}
	if len(s.Others) > 0 {
		b.WriteByte('\n')
		heading("FROM OTHER ORIGINS")
		for _, o := range s.Others[:min(8, len(s.Others))] {
			fmt.Fprintf(&b, "  %s  %s\n", safe(o.Origin), faint.Render(count(o.Requests, "request", "requests")))
		}
	}
	if len(s.Unlinked) > 0 {
		b.WriteByte('\n')
		heading("PAGES THAT NO PAGE LINKS TO")
		fmt.Fprintf(&b, "  %s\n", wrap(safe(strings.Join(s.Unlinked[:min(8, len(s.Unlinked))], "  ")+more(len(s.Unlinked)-8)),
			width-2, 2))
	}
	if len(s.Hidden) > 0 {
		b.WriteByte('\n')
		heading("HIDDEN FILES, WHICH A HOST MAY SHOW TO EVERYBODY")
		fmt.Fprintf(&b, "  %s\n", wrap(safe(strings.Join(s.Hidden[:min(8, len(s.Hidden))], "  ")+more(len(s.Hidden)-8)),
			width-2, 2))
	}
	if len(s.Keep.Unanswered) > 0 {
		b.WriteByte('\n')
		heading("ASKED FOR BY SCRIPTS, ANSWERED BY NO FILE")
		list := s.Keep.Unanswered
		fmt.Fprintf(&b, "  %s\n  %s\n", wrap(safe(strings.Join(list[:min(8, len(list))], "  ")+more(len(list)-8)), width-2, 2),
			each(faint, wrap("A server behind the site may answer; say so under hosting.answers or hosting.backend.", width-2, 2)))
	}
	if len(s.Unasked) > 0 {
		b.WriteByte('\n')
		heading("DEPLOYED, NEVER ASKED FOR")
		fmt.Fprintf(&b, "  %s\n", wrap(safe(strings.Join(s.Unasked[:min(8, len(s.Unasked))], "  ")+more(len(s.Unasked)-8)),
			width-2, 2))
	}
	for _, p := range s.Skipped {
		fmt.Fprintf(&b, "\n  %s was passed over: it leads out of the folder or is no file\n", safe(p))
	}
	b.WriteByte('\n')
	heading("WORTH KEEPING OFFLINE")
	fmt.Fprintf(&b, "  %s, %s: %s\n", count(s.Keep.Files, "file", "files"), size(s.Keep.Bytes), s.Keep.Why)
	fmt.Fprintf(&b, "  %s\n", each(faint, wrap(safe(strings.Join(s.Keep.Pages[:min(8, len(s.Keep.Pages))], "  ")+
		more(len(s.Keep.Pages)-8)), width-2, 2)))
	return b.String()
}

// kindText says what draws the pages of a site.
func kindText(s *survey.Summary) string {
	switch s.Kind {
	case survey.TakenOver:
		return "pages as files, to which scripts add, such as " + safe(s.Example)
	case survey.SinglePage:
		return "a single-page app: scripts draw its pages, such as " + safe(s.Example)
	case survey.Drawn:
		return "pages as files that scripts draw, such as " + safe(s.Example)
	case survey.Fragments:
		return "a single-page app that goes by what stands behind #, such as " + safe(s.Example)
	case survey.Rendered:
		return "pages that a server makes"
	}
	return "pages as files"
}
