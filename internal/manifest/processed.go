package manifest

import (
	"slices"
)

// Image is an icon or screenshot.
type Image struct {
	Src        string   `json:"src"`
	Sizes      []string `json:"sizes,omitempty"`
	Type       string   `json:"type,omitempty"`
	Purpose    []string `json:"purpose,omitempty"`
	Label      string   `json:"label,omitempty"`
	Platform   string   `json:"platform,omitempty"`
	FormFactor string   `json:"form_factor,omitempty"`
	// Line and Column are where the image's object stands in the manifest.
	Line   int `json:"-"`
	Column int `json:"-"`
}

// HasPurpose says whether the image serves a purpose.
func (i Image) HasPurpose(p string) bool { return slices.Contains(i.Purpose, p) }

// Shortcut is an entry of shortcuts.
type Shortcut struct {
	Name        string  `json:"name"`
	ShortName   string  `json:"short_name,omitempty"`
	Description string  `json:"description,omitempty"`
	URL         string  `json:"url"`
	Icons       []Image `json:"icons,omitempty"`
}

// Related is an entry of related_applications.
type Related struct {
	Platform string `json:"platform"`
	URL      string `json:"url,omitempty"`
	ID       string `json:"id,omitempty"`
}

// Processed is a manifest after processing (Web App Manifest, 2.2). URLs are absolute.
// It has a field for each member.
type Processed struct {
	Name                      string            `json:"name,omitempty"`
	ShortName                 string            `json:"short_name,omitempty"`
	Description               string            `json:"description,omitempty"`
	ID                        string            `json:"id"`
	StartURL                  string            `json:"start_url"`
	Scope                     string            `json:"scope"`
	Display                   string            `json:"display"`
	DisplayOverride           []string          `json:"display_override,omitempty"`
	Orientation               string            `json:"orientation,omitempty"`
	Lang                      string            `json:"lang,omitempty"`
	Dir                       string            `json:"dir,omitempty"`
	ThemeColor                string            `json:"theme_color,omitempty"`
	BackgroundColor           string            `json:"background_color,omitempty"`
	Icons                     []Image           `json:"icons,omitempty"`
	Screenshots               []Image           `json:"screenshots,omitempty"`
	Shortcuts                 []Shortcut        `json:"shortcuts,omitempty"`
	Categories                []string          `json:"categories,omitempty"`
	RelatedApplications       []Related         `json:"related_applications,omitempty"`
	PreferRelatedApplications *bool             `json:"prefer_related_applications,omitempty"`
	IARCRatingID              string            `json:"iarc_rating_id,omitempty"`
	ShareTarget               *ShareTarget      `json:"share_target,omitempty"`
	FileHandlers              []FileHandler     `json:"file_handlers,omitempty"`
	ProtocolHandlers          []ProtocolHandler `json:"protocol_handlers,omitempty"`
	LaunchHandler             *LaunchHandler    `json:"launch_handler,omitempty"`
	HandleLinks               string            `json:"handle_links,omitempty"`
	ScopeExtensions           []ScopeExtension  `json:"scope_extensions,omitempty"`
	EdgeSidePanel             *SidePanel        `json:"edge_side_panel,omitempty"`
	NoteTaking                *NoteTaking       `json:"note_taking,omitempty"`
	// The localised members hold values by language tag (Manifest, 1.4).
	NameLocalized        map[string]Localized `json:"name_localized,omitempty"`
	ShortNameLocalized   map[string]Localized `json:"short_name_localized,omitempty"`
	DescriptionLocalized map[string]Localized `json:"description_localized,omitempty"`

	// DisplayGiven tells that display was given and known.
	DisplayGiven bool `json:"-"`
	// StartURLValid tells that start_url was given and usable, not put in its place by a default.
	StartURLValid bool `json:"-"`
	// ShownDisplay is the display mode that applies after display_override, "browser" when none is.
	ShownDisplay string `json:"-"`
	// Fatal is true when the text could not be used at all.
	Fatal bool `json:"-"`
	// Places holds line and column of each top-level member.
	Places map[string][2]int `json:"-"`
}

// DisplayModes are the values of display.
var DisplayModes = []string{"fullscreen", "standalone", "minimal-ui", "browser"}

// overrideModes may also stand in display_override (Manifest Incubations).
var overrideModes = append([]string{"window-controls-overlay", "tabbed"}, DisplayModes...)

// Orientations are the values of orientation.
var Orientations = []string{"any", "natural", "landscape", "landscape-primary", "landscape-secondary", "portrait",
	"portrait-primary", "portrait-secondary"}
