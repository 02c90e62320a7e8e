package page

import (
	"strings"

	"tachyform/internal/site"
)

// The kinds of script elements.
const (
	ClassicScript    = "classic"
	ModuleScript     = "module"
	ImportMapScript  = "importmap"
	SpeculationRules = "speculationrules"
)

// ScriptKind gives the kind of a script element by its attributes, "" for one that runs nothing ("prepare the script element", HTML, 4.12.1.1,
// steps 8 to 11, 16 and 19, for a browser with modules).
func ScriptKind(attribute func(name string) (value string, has bool)) string {
	kind, typed := attribute("type")
	language, has := attribute("language")
	text := strings.Trim(kind, " \t\n\f\r")
	switch {
	case typed && kind == "", !typed && (!has || language == ""):
		text = "text/javascript"
	case !typed:
		text = "text/" + language
	}
	text = strings.ToLower(text)
	switch {
	case text == ModuleScript || text == ImportMapScript || text == SpeculationRules:
		return text
	case !site.IsJavaScript(text):
		return ""
	}
	if _, no := attribute("nomodule"); no {
		return ""
	}
	event, hasEvent := attribute("event")
	target, hasFor := attribute("for")
	if hasEvent && hasFor {
		event, target = strings.ToLower(strings.Trim(event, " \t\n\f\r")), strings.ToLower(strings.Trim(target, " \t\n\f\r"))
		if target != "window" || event != "onload" && event != "onload()" {
			return ""
		}
	}
	return ClassicScript
}
