package project

// Set gives a setting of the host, by its key, the value that a site's files tell, unless the project file has said
// something; changed is false where it has.
func (h *Hosting) Set(key, value string) (changed bool) {
	set := func(field *string, unset string) {
		if *field == unset {
			*field, changed = value, true
		}
	}
	switch key {
	case "hosting.extensionless":
		set(&h.Extensionless, "none")
	case "hosting.single_page":
		set(&h.SinglePage, "")
	case "hosting.not_found":
		set(&h.NotFound, "")
	}
	return changed
}
