package site

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"

	"tachyform/internal/problem"
)

// outputFolders are names that builds commonly give to what they make, likeliest first.
var outputFolders = []string{"dist", "build", "out", "_site", "public", "www", "site", "output", ".output/public",
	"docs/.vitepress/dist", "dist/browser", "target/site", "_book", "html"}

// projectFiles are files that stand at the root of sources, not of a deployed site.
var projectFiles = []string{"package.json", "Gemfile", "Cargo.toml", "go.mod", "pyproject.toml", "composer.json",
	"hugo.toml", "_config.yml", "mkdocs.yml", "deno.json"}

// sourceScript finds an entry script that only a build can turn into something a browser runs.
var sourceScript = regexp.MustCompile(`<script[^>]+src=["']?[^"'>]*\.(tsx?|jsx|vue|svelte)["'\s>]`)

// CheckBuilt says what is wrong when the folder holds no deployable site: empty, no HTML, or sources that a build has
// yet to turn into one.
func (f *Folder) CheckBuilt() error {
	pages, marker := 0, ""
	for _, file := range f.files {
		if strings.HasSuffix(file.Path, ".html") || strings.HasSuffix(file.Path, ".htm") {
			pages++
		}
	}
	for _, name := range projectFiles {
		if f.File(name) != nil {
			marker = name
			break
		}
	}
	output := f.findOutput()
	source := ""
	if index := f.File("index.html"); index != nil && index.Size < 1<<20 {
		if text, err := index.Bytes(); err == nil {
			if m := sourceScript.Find(text); m != nil {
				source = string(m)
			}
		}
	}
	say := func(what, mend string) error {
		return &problem.Problem{Kind: problem.Read, Where: f.Dir, What: what, Mend: mend}
	}
	build := f.buildCommand()
	use := "build the project, then name the folder that the build makes"
	switch {
	case output != "" && build != "":
		use = fmt.Sprintf("use %s, which looks like the output of %s; run that again after changes", filepath.Join(f.Dir, output), build)
	case output != "":
		use = fmt.Sprintf("use %s, which looks like the build's output", filepath.Join(f.Dir, output))
	case build != "":
		use = fmt.Sprintf("run %s in %s, then name the folder that it makes", build, f.Dir)
	}
	switch {
	case source != "":
		return say("these are sources, not the built site: index.html asks for "+source+"…", use)
	case marker != "" && (output != "" || pages == 0):
		return say("this is the root of a project ("+marker+"), not the folder that will be deployed", use)
	case len(f.files) == 0:
		return say("the folder is empty", "name the folder that your build makes, as it will be deployed")
	case pages == 0 && output != "":
		return say("there is no HTML page in this folder", use)
	case pages == 0:
		return say(fmt.Sprintf("there is no HTML page among the %d files in this folder", len(f.files)),
			"name the folder that your build makes; it holds index.html")
	}
	return nil
}

// buildCommand gives the command that builds the project, as its package file says, "" where none does.
func (f *Folder) buildCommand() string {
	file := f.File("package.json")
	if file == nil || file.Size > 1<<20 {
		return ""
	}
	text, err := file.Bytes()
	if err != nil {
		return ""
	}
	var described struct{ Scripts map[string]string }
	if json.Unmarshal(text, &described) != nil {
		return ""
	}
	for _, name := range []string{"build", "generate", "export"} {
		if described.Scripts[name] != "" {
			for lock, tool := range map[string]string{"pnpm-lock.yaml": "pnpm", "yarn.lock": "yarn"} {
				if f.File(lock) != nil {
					return tool + " run " + name
				}
			}
			return "npm run " + name
		}
	}
	return ""
}

// findOutput gives the sub-folder that looks like a build's output, or "".
func (f *Folder) findOutput() string {
	for _, name := range outputFolders {
		if f.File(name+"/index.html") != nil {
			return name
		}
		if _, err := os.Stat(filepath.Join(f.Dir, filepath.FromSlash(name), "index.html")); err == nil {
			return name
		}
	}
	return ""
}
