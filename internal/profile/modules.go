package profile

import (
	"regexp"
	"strings"

	"tachyform/internal/script/quickjs"
	"tachyform/internal/useragent/environment"
	"tachyform/internal/useragent/environment/bundle"
)

// Modules finds the modules of the environment's functions: for each environment its lines, from 1.
type Modules map[string][]line

// line is a line of an environment's source with its module.
type line struct{ module, text string }

// moduleComment is what the bundler puts before each module.
var moduleComment = regexp.MustCompile(`^// ((?:shared|worker|dedicated|window)/[\w/-]+\.js)$`)

// UseLines has engines start the environment from its sources in a folder, with lines. None may have been started before.
func UseLines(dir string) (Modules, error) {
	m, code := Modules{}, map[string][]byte{}
	for _, name := range bundle.Environments {
		compiled, source, err := bundle.BytecodeWithLines(dir, name)
		if err != nil {
			return nil, err
		}
		code[name] = compiled
		module := ""
		for text := range strings.Lines(source) {
			text = strings.TrimSpace(text)
			if found := moduleComment.FindStringSubmatch(text); found != nil {
				module = found[1]
			}
			m[name] = append(m[name], line{module, text})
		}
	}
	environment.UseCode(code)
	return m, nil
}

// mostOfLine bounds the text that stands for the name of an anonymous function, in bytes.
const mostOfLine = 50

// locate replaces the name of the environment by that of the module. An anonymous function gets the text of its first line as its
// name.
func (m Modules) locate(f quickjs.Function) quickjs.Function {
	lines := m[f.File]
	if !f.Own || f.Line < 1 || f.Line > len(lines) {
		return f
	}
	at := lines[f.Line-1]
	if f.Name == "" {
		f.Name = at.text[:min(len(at.text), mostOfLine)]
	}
	f.File, f.Line = at.module, 0
	return f
}
