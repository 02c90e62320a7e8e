package project

// MemberKind is the kind of value that a manifest member takes.
type MemberKind string

// The kinds, as messages name them.
const (
	TextMember    MemberKind = "text"
	ListMember    MemberKind = "list"
	TruthMember   MemberKind = "truth"
	MappingMember MemberKind = "mapping"
)

// ManifestMember is a member that a web app manifest may have.
type ManifestMember struct {
	Name string
	Kind MemberKind
	// Apart tells that the project file does not take it under app: it is made from other keys, or is not the app's to
	// say.
	Apart bool
}

// ManifestMembers lists the members of Web App Manifest, of its application information and of its incubations.
var ManifestMembers = []ManifestMember{
	{Name: "$schema", Kind: TextMember, Apart: true},
	{Name: "name", Kind: TextMember}, {Name: "short_name", Kind: TextMember}, {Name: "description",
		Kind: TextMember}, {Name: "id", Kind: TextMember},
	{Name: "start_url", Kind: TextMember}, {Name: "scope", Kind: TextMember}, {Name: "display",
		Kind: TextMember}, {Name: "display_override", Kind: ListMember},
	{Name: "orientation", Kind: TextMember}, {Name: "lang", Kind: TextMember}, {Name: "dir", Kind: TextMember},
	{Name: "theme_color", Kind: TextMember}, {Name: "background_color", Kind: TextMember}, {Name: "icons",
		Kind: ListMember, Apart: true},
	{Name: "screenshots", Kind: ListMember}, {Name: "shortcuts", Kind: ListMember}, {Name: "categories", Kind: ListMember},
	{Name: "related_applications", Kind: ListMember}, {Name: "prefer_related_applications",
		Kind: TruthMember}, {Name: "iarc_rating_id", Kind: TextMember},
	{Name: "share_target", Kind: MappingMember}, {Name: "file_handlers", Kind: ListMember}, {Name: "protocol_handlers",
		Kind: ListMember},
	{Name: "launch_handler", Kind: MappingMember}, {Name: "handle_links", Kind: TextMember}, {Name: "permissions_policy",
		Kind: MappingMember, Apart: true},
	{Name: "scope_extensions", Kind: ListMember}, {Name: "edge_side_panel", Kind: MappingMember}, {Name: "note_taking",
		Kind: MappingMember},
}

// memberKinds are the kinds of those that may stand under app.
var memberKinds = func() map[string]MemberKind {
	kinds := map[string]MemberKind{}
	for _, m := range ManifestMembers {
		if !m.Apart {
			kinds[m.Name] = m.Kind
		}
	}
	return kinds
}()
