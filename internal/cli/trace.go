package cli

import (
	"fmt"
	"path"
	"strings"

	"github.com/spf13/cobra"

	"tachyform/internal/page"
	"tachyform/internal/rehearsal"
	"tachyform/internal/report"
	"tachyform/internal/request"
	"tachyform/internal/site"
)

// destinations tells what kind of request asks for a file, by extension.
var destinations = map[string]string{".css": "style", ".js": "script", ".mjs": "script", ".png": "image",
	".jpg": "image", ".jpeg": "image", ".gif": "image", ".webp": "image",
	".avif": "image", ".svg": "image", ".ico": "image", ".woff": "font", ".woff2": "font", ".ttf": "font", ".otf": "font",
	".mp4": "video", ".webm": "video", ".mp3": "audio", ".html": "document", ".htm": "document"}

// tracedJSON is one condition in the JSON form.
type tracedJSON struct {
	Condition string       `json:"condition"`
	Handled   string       `json:"handled_by"`
	Status    int          `json:"status"`
	Source    string       `json:"answered_by"`
	Rule      string       `json:"rule,omitempty"`
	Shown     string       `json:"shown,omitempty"`
	Bytes     int64        `json:"bytes"`
	MS        int64        `json:"ms"`
	Reason    string       `json:"reason,omitempty"`
	Sent      []sentJSON   `json:"sent"`
	Stored    []storedJSON `json:"stored"`
	Console   []string     `json:"console,omitempty"`
}

type sentJSON struct {
	URL    string `json:"url"`
	Status int    `json:"status"`
}

type storedJSON struct {
	Cache string `json:"cache"`
	URL   string `json:"url"`
}

func (a *app) trace() *cobra.Command {
	var as string
	c := &cobra.Command{
		Use:   "trace URL [SITE]",
		Short: "Follow one request: who answers it, from where, under each condition",
		Long: `Trace visits the site as rehearse does, stops the worker, and then makes one
request under each condition of the network. It says who answered and from
where, what went to the network, what was stored, and what the worker printed.`,
		Args: cobra.RangeArgs(1, 2),
	}
	a.formatFlag(c)
	a.liveFlags(c)
	c.Flags().StringVar(&as, "as", "", "what the request asks for: document, style, script, image, font, data … "+
		"(default: by the address)")
	under := conditionsFlag(c, "online,offline,stalled")
	profile := targetFlag(c)
	c.RunE = func(cmd *cobra.Command, args []string) error {
		o, in, err := a.rehearsable(cmd.Context(), args[1:], under)
		if err != nil {
			return err
		}
		url, ok := page.Resolve(o.host.Origin()+o.project.Addr, args[0])
		if !ok {
			return usagef("%q is not an address on the web", args[0])
		}
		r := &rehearsal.Rehearsal{Hosts: append([]site.Host{o.host}, in.Others...), Conditions: in.Conditions, Visit: in.Visits()}
		if r.Kind, err = profile(); err != nil {
			return err
		}
		destination := as
		if destination == "" {
			plain, _, _ := strings.Cut(url, "?")
			destination = destinations[strings.ToLower(path.Ext(plain))]
			if destination == "" && path.Ext(strings.TrimPrefix(plain, o.host.Origin())) == "" {
				destination = "document"
			}
		} else if destination == "data" {
			destination = ""
		}
		list, err := r.Trace(cmd.Context(), url, request.Destination(destination))
		if err != nil {
			return wrapRead(o.name, err)
		}
		if a.format == "json" {
			out := []tracedJSON{}
			for _, t := range list {
				j := tracedJSON{Condition: t.Condition, Handled: t.Handled.String(), Status: t.Status, Source: t.Source.String(),
					Rule: report.RuleOf(t.Source), Shown: strings.TrimPrefix(t.Shown,
						o.host.Origin()), Bytes: t.Bytes, MS: t.Elapsed.Milliseconds(), Reason: t.Reason.String(), Sent: []sentJSON{},
					Stored: []storedJSON{}}
				for _, s := range t.Sent {
					j.Sent = append(j.Sent, sentJSON{strings.TrimPrefix(s.URL, o.host.Origin()), s.Status})
				}
				for _, s := range t.Stored {
					j.Stored = append(j.Stored, storedJSON{s.Cache, strings.TrimPrefix(s.Request.URL, o.host.Origin())})
				}
				for _, n := range t.Notes {
					j.Console = append(j.Console, n.Level+": "+n.Text)
				}
				out = append(out, j)
			}
			return a.json(map[string]any{"schema": "tachyform.trace/1", "url": strings.TrimPrefix(url, o.host.Origin()),
				"destination": destination, "under": out})
		}
		fmt.Fprint(a.out, report.Trace(strings.TrimPrefix(url, o.host.Origin()), destination, o.host.Origin(), list, a.width))
		return nil
	}
	return c
}
