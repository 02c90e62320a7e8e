// Package bundle turns the JavaScript sources of an environment into the bytecode that script engines start with.
package bundle

import (
	"errors"
	"fmt"
	"path/filepath"

	"github.com/evanw/esbuild/pkg/api"

	"tachyform/internal/script/quickjs"
)

// Environments are the kinds of global object, by the name of the folder and the module that each starts with.
var Environments = []string{"worker", "dedicated", "window"}

// Source gives the modules of an environment as one script: a function of the scripts' global object, of what calls
// the host and of what realms of one engine share, that gives what the host calls. dir is the folder with the sources.
func Source(dir, environment string) (string, error) {
	abs, err := filepath.Abs(dir)
	if err != nil {
		return "", err
	}
	result := api.Build(api.BuildOptions{
		EntryPoints: []string{"./" + environment + "/" + environment +
			".js"}, AbsWorkingDir: abs, Bundle: true, Format: api.FormatIIFE,
		GlobalName: "environment", Target: api.ESNext, KeepNames: true, TreeShaking: api.TreeShakingFalse,
		LogLevel: api.LogLevelSilent,
	})
	var failures []error
	for _, m := range append(result.Errors, result.Warnings...) {
		where := ""
		if m.Location != nil {
			where = fmt.Sprintf("%s:%d: ", m.Location.File, m.Location.Line)
		}
		failures = append(failures, errors.New(where+m.Text))
	}
	if err := errors.Join(failures...); err != nil {
		return "", err
	}
	text := withoutNeedlessNames(string(result.OutputFiles[0].Contents))
	return "(function (global, host, kin) { 'use strict';\n" + text + "\nreturn environment.runCommand; })", nil
}

// Bytecode compiles an environment.
func Bytecode(dir, environment string) ([]byte, error) {
	source, err := Source(dir, environment)
	if err != nil {
		return nil, err
	}
	return compile(func(e *quickjs.Engine) ([]byte, error) { return e.Compile(source) })
}

// BytecodeWithLines compiles an environment so that samples show the lines of its functions, and returns its source too.
func BytecodeWithLines(dir, environment string) (code []byte, source string, err error) {
	if source, err = Source(dir, environment); err == nil {
		code, err = compile(func(e *quickjs.Engine) ([]byte, error) { return e.CompileWithLines(source, environment) })
	}
	return code, source, err
}

func compile(by func(*quickjs.Engine) ([]byte, error)) ([]byte, error) {
	e, err := quickjs.New()
	if err != nil {
		return nil, err
	}
	defer e.Close()
	return by(e)
}
