package profile

import (
	"bytes"
	"debug/elf"
	"debug/gosym"
	"os"
	"runtime"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/cli"
	"tachyform/internal/script/quickjs"
)

func TestClassify(t *testing.T) {
	for name, c := range map[string]struct {
		stack []string
		want  Phase
	}{
		"a parser":                       {[]string{"bytes.Index", "tachyform/internal/markup.Nodes", "tachyform/internal/audit.Run"}, "parse"},
		"a parser while handing over":    {[]string{"tachyform/internal/markup.Nodes", "tachyform/internal/useragent/document.(*scripting).handOver"}, "hand over"},
		"a task that others wait for":    {[]string{"tachyform/internal/script/quickjs.(*Engine).Call", "tachyform/internal/useragent/clock.(*Clock).Run", "tachyform/internal/useragent/document.(*window).takeOver"}, "run"},
		"a package with a similar name":  {[]string{"example/homepage.Parse", "example/xsite.Open"}, Other},
		"nothing of the program's":       {[]string{"runtime.mallocgc"}, Other},
		"a collection of Go's own":       {[]string{"runtime.scanobject", "runtime.gcBgMarkWorker.func2"}, "garbage collection"},
		"a script after a request":       {[]string{"tachyform/internal/script/quickjs.(*Engine).Call", "tachyform/internal/useragent/document.(*scripting).runModule", "tachyform/internal/useragent/fetch.(*fetching).received"}, "run"},
		"an event of a worker":           {[]string{"tachyform/internal/script/quickjs.(*Engine).Call", "tachyform/internal/useragent/serviceworker.(*Worker).createFetchEventAndDispatch", "tachyform/internal/useragent/document.(*window).fetch"}, "worker events"},
		"a request of a script":          {[]string{"tachyform/internal/useragent/network.(*Network).Send", "tachyform/internal/script/quickjs.(*Engine).Call", "tachyform/internal/useragent/document.(*scripting).runModule"}, "requests"},
		"a check, called by the command": {[]string{"tachyform/internal/audit.Run", "tachyform/internal/cli.Main"}, "checks"},
	} {
		assert.Equal(t, c.want, Classify(c.stack), name)
	}
}

// Each name in the table is that of a function in the program: one that was renamed would be counted elsewhere.
func TestPhases(t *testing.T) {
	if runtime.GOOS != "linux" {
		t.Skip("reads the test's own ELF file")
	}
	require.NotNil(t, cli.Main) // so that the whole program is linked
	path, err := os.Executable()
	require.NoError(t, err)
	file, err := elf.Open(path)
	require.NoError(t, err)
	defer file.Close()
	data, err := file.Section(".gopclntab").Data()
	require.NoError(t, err)
	table, err := gosym.NewTable(nil, gosym.NewLineTable(data, file.Section(".text").Addr))
	require.NoError(t, err)
	for _, p := range slices.Concat(whole, parts, callers) {
		for _, name := range p.functions {
			assert.True(t, slices.ContainsFunc(table.Funcs, func(f gosym.Func) bool {
				return strings.HasPrefix(f.Name[strings.LastIndexByte(f.Name, '/')+1:], name)
			}), "%s: %s", p.Phase, name)
		}
	}
}

func TestLocate(t *testing.T) {
	m := Modules{"window": {{"", "(function () {"}, {"window/node.js", "append(child) {"}, {"window/node.js", "(x) => x"}}}
	for given, want := range map[quickjs.Function]quickjs.Function{
		{Own: true, File: "window", Line: 2, Name: "append"}: {Own: true, File: "window/node.js", Name: "append"},
		{Own: true, File: "window", Line: 3}:                 {Own: true, File: "window/node.js", Name: "(x) => x"},
		{Own: true, File: "window", Line: 4}:                 {Own: true, File: "window", Line: 4},
		{File: "/app.js", Line: 2}:                           {File: "/app.js", Line: 2},
	} {
		assert.Equal(t, want, m.locate(given))
	}
}

// A profile of the environment's start shows its modules and the functions of the script, and what it allocates.
func TestTake(t *testing.T) {
	modules, err := UseLines("../useragent/environment")
	require.NoError(t, err)
	assert.Contains(t, modules["window"], line{"window/node.js", "// window/node.js"})
	e, err := quickjs.New()
	require.NoError(t, err)
	defer e.Close()
	code, err := e.CompileWithLines("(function (global, host) { return function evaluate(text) {\n(0, global.eval)(text); }; })", "window")
	require.NoError(t, err)
	require.NoError(t, e.Install(code))
	report, err := Take(Modules{"window": {{"start.js", ""}, {"start.js", ""}}}, 0, func() error {
		_, err := e.Call("function count() { for (let i = 0; i < 3e6; i++); } count()")
		return err
	})
	require.NoError(t, err)
	assert.Equal(t, 1, report.Runs)
	assert.Positive(t, report.CPU["run"])
	assert.Positive(t, report.Samples)
	counting := report.Functions[quickjs.Function{Name: "count", File: "<input>", Line: 1}]
	assert.Positive(t, counting.Self, "%v", report.Functions)
	own := report.Functions[quickjs.Function{Name: "evaluate", File: "start.js", Own: true}]
	assert.Zero(t, own.Self)
	assert.GreaterOrEqual(t, own.All, counting.All)
	var text bytes.Buffer
	require.NoError(t, report.Write(&text))
	assert.Contains(t, text.String(), "count in <input>:1")
}
