package worker

import (
	"embed"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/evanw/esbuild/pkg/api"

	"tachyform/internal/project"
)

//go:embed runtime/*.js
var runtimeFiles embed.FS

// Options say what form the generated code takes.
type Options struct {
	// Minify leaves out comments, white space and long names.
	Minify bool
	// Target is the oldest JavaScript that browsers must know, as esbuild names it; "" for ES2020.
	Target string
}

// Generate gives the worker's code: one classic script with only what the plan uses; the same bytes for the same plan.
func Generate(p *Plan, o Options) ([]byte, error) {
	settings, err := p.settings()
	if err != nil {
		return nil, err
	}
	return bundle("worker.js", settings, map[string]bool{
		"rules":          len(p.Rules) > 0,
		"pack":           len(p.Pack) > 0,
		"network-first":  p.uses("network-first"),
		"cache-first":    p.uses("cache-first"),
		"network-only":   p.uses("network-only"),
		"page-stand-in":  p.StandIns.Page != "",
		"image-stand-in": p.StandIns.Image != "",
		"stand-ins":      p.StandIns.Page != "" || p.StandIns.Image != "",
		"other-origins":  p.otherOrigins(),
		"extensionless":  p.Extensionless,
		"at-once":        p.Takeover == "at-once",
		"ask":            p.Takeover == "ask",
	}, o)
}

// RegisterScript gives the page-side script that registers the worker.
func RegisterScript(p *Plan, o Options) ([]byte, error) {
	settings := fmt.Sprintf("export const SCRIPT = %s;\nexport const SCOPE = %s;\n", quote(p.Script), quote(p.Scope))
	return bundle("register.js", settings, map[string]bool{"reload": p.Takeover == "ask" || p.Takeover == "at-once"}, o)
}

func (p *Plan) uses(answer string) bool {
	for _, r := range p.Rules {
		if r.Answer == answer {
			return true
		}
	}
	return false
}

func (p *Plan) otherOrigins() bool {
	for _, r := range p.Rules {
		if !strings.HasPrefix(r.Match, "/") {
			return true
		}
	}
	return false
}

func quote(s string) string {
	b, _ := json.Marshal(s)
	return string(b)
}

// settings writes the module of constants that the runtime imports.
func (p *Plan) settings() (string, error) {
	var b strings.Builder
	fmt.Fprintf(&b, "export const RELEASE = %s;\n", quote(p.Release()))
	fmt.Fprintf(&b, "export const SCOPE = %s;\n", quote(p.Scope))
	fmt.Fprintf(&b, "export const PAGE = %s;\nexport const IMAGE = %s;\n", quote(p.StandIns.Page), quote(p.StandIns.Image))
	b.WriteString("export const PACK = {\n")
	for _, e := range p.Pack {
		fmt.Fprintf(&b, "  %s: %s,\n", quote(e.Path), quote(e.Stamp))
	}
	b.WriteString("};\nexport const RULES = [\n")
	for _, r := range p.Rules {
		m, err := compileMatcher(r.Match, p.Origin)
		if err != nil {
			return "", err
		}
		b.WriteString("  {")
		var fields []string
		add := func(name, value string) {
			if value != "" {
				fields = append(fields, name+": "+value)
			}
		}
		literal := func(expr string) string {
			if expr == "" {
				return ""
			}
			return "/" + expr + "/"
		}
		add("origin", literal(m.Origin))
		add("path", literal(m.Path))
		add("search", literal(m.Search))
		if r.Destination != "" {
			add("destination", quote(r.Destination))
		}
		add("answer", quote(r.Answer))
		if r.Patience > 0 {
			add("patience", fmt.Sprint(r.Patience.Milliseconds()))
		}
		add("store", quote(storeName(p.Scope, r)))
		b.WriteString(strings.Join(fields, ", ") + "},\n")
	}
	b.WriteString("];\n")
	return b.String(), nil
}

// storeName is the cache in which a rule keeps what it fetched.
func storeName(scope string, r project.Rule) string {
	name := "tachyform " + scope + " kept " + r.Match
	if r.Destination != "" {
		name += " " + r.Destination
	}
	return name
}

// bundle puts the runtime module entry and what it imports into one script.
func bundle(entry, settings string, features map[string]bool, o Options) ([]byte, error) {
	source, err := module(entry, features)
	if err != nil {
		return nil, err
	}
	target := api.ES2020
	if o.Target == "es2017" {
		target = api.ES2017
	}
	legal := api.LegalCommentsInline
	if o.Minify {
		legal = api.LegalCommentsNone
	}
	result := api.Build(api.BuildOptions{
		Stdin:            &api.StdinOptions{Contents: source, Sourcefile: entry},
		Bundle:           true,
		Format:           api.FormatIIFE,
		Target:           target,
		MinifySyntax:     o.Minify,
		MinifyWhitespace: o.Minify, MinifyIdentifiers: o.Minify,
		LegalComments: legal,
		Charset:       api.CharsetUTF8,
		LogLevel:      api.LogLevelSilent,
		TreeShaking:   api.TreeShakingTrue,
		Plugins: []api.Plugin{{Name: "runtime", Setup: func(b api.PluginBuild) {
			b.OnResolve(api.OnResolveOptions{Filter: `^\./`}, func(a api.OnResolveArgs) (api.OnResolveResult, error) {
				return api.OnResolveResult{Path: strings.TrimPrefix(a.Path, "./"), Namespace: "runtime"}, nil
			})
			b.OnLoad(api.OnLoadOptions{Filter: `.*`, Namespace: "runtime"}, func(a api.OnLoadArgs) (api.OnLoadResult, error) {
				if a.Path == "settings.js" {
					return api.OnLoadResult{Contents: &settings}, nil
				}
				text, err := module(a.Path, features)
				return api.OnLoadResult{Contents: &text}, err
			})
		}}},
	})
	if len(result.Errors) > 0 {
		return nil, fmt.Errorf("bundling %s: %s", entry, result.Errors[0].Text)
	}
	code := string(result.OutputFiles[0].Contents)
	// Comments that are kept are marked with an exclamation mark for the bundler; readers need not see it.
	code = strings.ReplaceAll(code, "//! ", "// ")
	if !o.Minify {
		code = tidy(code)
	}
	return []byte(code), nil
}

// module gives the text of a runtime module with the parts that the features ask for: what stands between the lines
// "//? feature" (or "//? !feature") and "//?" is there only with (or without) the feature. Such parts may be nested.
func module(name string, features map[string]bool) (string, error) {
	text, err := runtimeFiles.ReadFile("runtime/" + name)
	if err != nil {
		return "", err
	}
	var out []string
	keep := []bool{true} // innermost last
	for _, line := range strings.Split(string(text), "\n") {
		mark, is := strings.CutPrefix(strings.TrimSpace(line), "//?")
		inner := keep[len(keep)-1]
		switch mark = strings.TrimSpace(mark); {
		case !is && inner:
			out = append(out, line)
		case !is:
		case mark == "" && len(keep) > 1:
			keep = keep[:len(keep)-1]
		default:
			feature, without := strings.CutPrefix(mark, "!")
			has, known := features[feature]
			if !known {
				return "", fmt.Errorf("runtime/%s: there is no feature %q", name, feature)
			}
			keep = append(keep, inner && has != without)
		}
	}
	return strings.Join(out, "\n"), nil
}

// tidy removes the bundler's module names from readable code.
func tidy(code string) string {
	lines := strings.Split(code, "\n")
	out := lines[:0]
	for _, l := range lines {
		t := strings.TrimSpace(l)
		if !strings.HasPrefix(t, "// runtime:") && t != "// worker.js" && t != "// register.js" {
			out = append(out, l)
		}
	}
	return strings.ReplaceAll(strings.Join(out, "\n"), "void 0", "undefined")
}

// Retiring gives the code of a worker that, served at the address of another one, removes that registration and what it kept.
func Retiring(o Options) ([]byte, error) {
	return bundle("retire.js", "", nil, o)
}
