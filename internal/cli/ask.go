package cli

import (
	"fmt"
	"image/color"
	"net/url"

	"charm.land/huh/v2"

	"tachyform/internal/icon"
	"tachyform/internal/manifest"
	"tachyform/internal/project"
	"tachyform/internal/report"
	"tachyform/internal/survey"
)

// ask lets somebody at a terminal confirm or change what was found, with a preview of what people will see. Shift and Tab
// go back. resolve gives the path of a master picture that was typed in.
func ask(d *project.Draft, kind survey.Kind, resolve func(string) string) error {
	colour := func(s string) error {
		if _, ok := manifest.ParseColour(s); !ok {
			return fmt.Errorf("a CSS colour such as #0b4f6c")
		}
		return nil
	}
	preview := func() string { return report.Preview(appearanceOf(d, resolve)) }
	bound := []any{&d.Name, &d.ShortName, &d.Master, &d.ThemeColor, &d.BackgroundColor}
	groups := []*huh.Group{huh.NewGroup(
		huh.NewInput().Title("Name of the app").Value(&d.Name),
		huh.NewInput().Title("Short name, under the icon").Value(&d.ShortName),
		huh.NewInput().Title("Master picture for icons (empty for none yet)").Value(&d.Master).Validate(func(s string) error {
			if s == "" {
				return nil
			}
			_, err := icon.LoadMaster(resolve(s))
			return err
		}),
		huh.NewInput().Title("Theme colour").Value(&d.ThemeColor).Validate(colour),
		huh.NewInput().Title("Background colour while the app starts").Value(&d.BackgroundColor).Validate(colour),
		huh.NewNote().Title("How it starts").DescriptionFunc(preview, bound),
	)}
	origin, unknown := "", "404"
	if d.OriginGuessed {
		groups = append(groups, huh.NewGroup(huh.NewInput().Title("Where the site will live, such as https://skerry-line.example").
			Description("Empty if that is not known yet.").Value(&origin).Validate(func(s string) error {
			u, err := url.Parse(s)
			if s != "" && (err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "") {
				return fmt.Errorf("scheme and host, such as https://skerry-line.example")
			}
			return nil
		})))
	}
	if d.Present == "" && !d.Unread {
		choices := []huh.Field{huh.NewSelect[string]().Filtering(false).Title("When a new release waits").Value(&d.Takeover).Options(
			huh.NewOption("its visitor is asked (usual)", "ask"),
			huh.NewOption("it takes over once all pages are closed", "when-closed"),
			huh.NewOption("it takes over at once, and open pages load again", "at-once"))}
		if asksForUnknown(d, kind) {
			choices = append(choices, huh.NewSelect[string]().Filtering(false).Title("At an address without a file the host answers").Value(&unknown).Options(
				huh.NewOption("that there is nothing, with status 404 (usual)", "404"),
				huh.NewOption("with "+d.Entry+" and status 200, as single-page apps need", "page")))
		}
		groups = append(groups, huh.NewGroup(choices...))
	}
	if err := huh.NewForm(groups...).Run(); err != nil {
		return usagef("nothing was written: %w", err)
	}
	if origin != "" {
		d.Origin, d.OriginGuessed = origin, false
	}
	if unknown == "page" {
		d.Told = append(d.Told, project.Told{Key: "hosting.single_page", Value: d.Entry + "index.html", Why: "as was answered"})
		d.Shell = d.Entry
	}
	return nil
}

// asksForUnknown says whether files leave open how the host answers at addresses without one, and it matters.
func asksForUnknown(d *project.Draft, kind survey.Kind) bool {
	for _, t := range d.Told {
		if t.Key == "hosting.single_page" || t.Key == "hosting.not_found" {
			return false
		}
	}
	return kind == survey.SinglePage || kind == survey.Fragments
}

// previewIcon is the size of the icon in the preview, in columns.
const previewIcon = 14

// appearanceOf gives what a draft looks like; colours that are none yet are grey.
func appearanceOf(d *project.Draft, resolve func(string) string) report.Appearance {
	read := func(text string) color.NRGBA {
		if c, ok := manifest.ParseColour(text); ok {
			c.A = 255
			return c
		}
		return color.NRGBA{128, 128, 128, 255}
	}
	a := report.Appearance{Name: d.Name, ShortName: d.ShortName, Theme: read(d.ThemeColor), Background: read(d.BackgroundColor)}
	if d.Master == "" {
		return a
	}
	if m, err := icon.LoadMaster(resolve(d.Master)); err == nil {
		if drawn, err := m.Preview(previewIcon, a.Theme, a.Background); err == nil {
			a.Icon = drawn
		}
	}
	return a
}
