package worker

import (
	"bytes"
	"cmp"
	"embed"
	"fmt"
	"path/filepath"
	"strings"

	"github.com/evanw/esbuild/pkg/api"

	"tachyform/internal/inputfile"
	"tachyform/internal/project"
)

//go:embed runtime/*.js
var runtimeFiles embed.FS

// Options say what form the generated code takes.
type Options struct {
	// Minify leaves out comments, white space and long names.
	Minify bool
	// Target is the oldest JavaScript that browsers must know, as esbuild names it: es2017 to es2022; "" for ES2020.
	Target string
}

// OptionsOf gives the form that the project file asks for.
func OptionsOf(p *project.Project) Options {
	return Options{Minify: p.Worker.Minify == "yes", Target: p.Worker.Target}
}

// Targets are the values that Options.Target takes.
var Targets = map[string]api.Target{"es2017": api.ES2017, "es2018": api.ES2018, "es2019": api.ES2019,
	"es2020": api.ES2020, "es2021": api.ES2021, "es2022": api.ES2022}

// Generate gives the worker's code: one classic script with only what the plan uses; the same bytes for the same plan.
func Generate(p *Plan, o Options) ([]byte, error) {
	settings, err := p.settings()
	if err != nil {
		return nil, err
	}
	return bundle("worker.js", settings, p.features(), p.Module, o)
}

// IsRegisterScript says whether a text is a script that RegisterScript gave, of this release or an earlier one.
func IsRegisterScript(text []byte) bool {
	return bytes.Contains(text, []byte("Made by tachyform: registers the worker"))
}

// IsWorker says whether a text is a worker that Generate gave, of this release or an earlier one.
func IsWorker(text []byte) bool {
	return bytes.Contains(text, []byte("Made by tachyform from tachyform.yaml"))
}

// RegisterScript gives the page-side script that registers the worker. Of the plan it needs what NewScripts fills.
func RegisterScript(p *Plan, o Options) ([]byte, error) {
	settings := fmt.Sprintf("export const SCRIPT = %s;\nexport const SCOPE = %s;\nexport const CHECK = %d;\nexport "+
		"const HOSTS = %s;\nexport const OFF = %s;\n",
		quote(p.Script), quote(p.Scope), p.Registration.Check.Milliseconds(), hostPatterns(p.Registration.Hosts),
		hostPatterns(p.Registration.OffOn))
	entry := "register.js"
	if p.Development {
		entry = "development.js"
	}
	return bundle(entry, settings, map[string]bool{
		"reload":   p.Takeover == "ask" || p.Takeover == "at-once",
		"stand-in": p.StandIns.Page != "",
		"hosts":    len(p.Registration.Hosts)+len(p.Registration.OffOn) > 0,
	}, "", o)
}

// hostPatterns writes host names, with * for any part, as a list of regular expressions.
func hostPatterns(hosts []string) string {
	var list []string
	for _, h := range hosts {
		list = append(list, "/^"+strings.ReplaceAll(escapeRegexp(h), `\*`, ".*")+"$/")
	}
	return "[" + strings.Join(list, ", ") + "]"
}

// bundle puts the runtime module entry and what it imports into one script; own is the path of the project's own
// module, or "".
func bundle(entry, settings string, features map[string]bool, own string, o Options) ([]byte, error) {
	source, err := module(entry, features)
	if err != nil {
		return nil, err
	}
	target, ok := Targets[o.Target]
	if !ok {
		target = api.ES2020
	}
	legal := api.LegalCommentsInline
	if o.Minify {
		legal = api.LegalCommentsNone
	}
	dir := ""
	if own != "" {
		dir = filepath.Dir(own)
	}
	result := api.Build(api.BuildOptions{
		Stdin:            &api.StdinOptions{Contents: source, Sourcefile: entry},
		Bundle:           true,
		Format:           api.FormatIIFE,
		Platform:         api.PlatformBrowser,
		Target:           target,
		MinifySyntax:     o.Minify,
		MinifyWhitespace: o.Minify, MinifyIdentifiers: o.Minify,
		LegalComments: legal,
		Charset:       api.CharsetUTF8,
		LogLevel:      api.LogLevelSilent,
		TreeShaking:   api.TreeShakingTrue,
		// The project's own module stands in the output under its path from its folder, so that no machine's path does.
		AbsWorkingDir: dir,
		TsconfigRaw:   "{}",
		Plugins: []api.Plugin{{Name: "runtime", Setup: func(b api.PluginBuild) {
			b.OnResolve(api.OnResolveOptions{Filter: `^(\./.*|own-code)$`},
				func(a api.OnResolveArgs) (api.OnResolveResult, error) {
					switch {
					case a.Path == "own-code":
						return api.OnResolveResult{Path: own}, nil
					case a.Namespace == "runtime" || a.Importer == entry || a.Importer == "<stdin>":
						return api.OnResolveResult{Path: strings.TrimPrefix(a.Path, "./"), Namespace: "runtime"}, nil
					}
					return api.OnResolveResult{}, nil
				})
			b.OnLoad(api.OnLoadOptions{Filter: `.*`, Namespace: "file"}, func(a api.OnLoadArgs) (api.OnLoadResult, error) {
				return loadOwn(a.Path)
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
		e := result.Errors[0]
		if at := e.Location; at != nil && at.Namespace != "runtime" && at.File != entry {
			return nil, &ModuleError{File: filepath.Join(dir, at.File), Line: at.Line, Column: at.Column + 1, Text: e.Text}
		}
		return nil, fmt.Errorf("bundling %s: %s", entry, e.Text)
	}
	code := string(result.OutputFiles[0].Contents)
	// Comments that are kept are marked with an exclamation mark for the bundler; readers need not see it.
	code = strings.ReplaceAll(code, "//! ", "// ")
	if !o.Minify {
		code = tidy(code)
	}
	return []byte(code), nil
}

// mostModule bounds the size of a file of the project's own module, in bytes.
const mostModule = 16 << 20

// ownLoaders are the languages of the project's own module, by extension; others are JavaScript.
var ownLoaders = map[string]api.Loader{".ts": api.LoaderTS, ".mts": api.LoaderTS, ".cts": api.LoaderTS, ".tsx": api.LoaderTSX,
	".jsx": api.LoaderJSX, ".json": api.LoaderJSON, ".txt": api.LoaderText, ".css": api.LoaderCSS}

// loadOwn reads a file of the project's own module. It never waits for a pipe.
func loadOwn(path string) (api.OnLoadResult, error) {
	text, err := inputfile.Read(path, mostModule)
	if err != nil {
		return api.OnLoadResult{}, err
	}
	contents := string(text)
	return api.OnLoadResult{Contents: &contents, Loader: cmp.Or(ownLoaders[filepath.Ext(path)], api.LoaderJS), ResolveDir: filepath.Dir(path)}, nil
}

// ModuleError is a mistake in the project's own module, or in what it imports.
type ModuleError struct {
	File         string
	Line, Column int
	Text         string
}

func (e *ModuleError) Error() string {
	return fmt.Sprintf("%s:%d:%d: %s", e.File, e.Line, e.Column, e.Text)
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

// Retiring gives the code of a worker that, served at the address of another one, removes that registration and what
// it kept.
func Retiring(o Options) ([]byte, error) {
	return bundle("retire.js", "", nil, "", o)
}
