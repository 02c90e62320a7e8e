package page

import (
	"regexp"
	"strings"

	"tachyform/internal/site"
)

var listensAsWorker = regexp.MustCompile(`addEventListener\s*\(\s*["'\x60](?:install|fetch)["'\x60]|\b(?:self|globalThis)\.on(?:install|fetch)\s*=`)

// workerBytes bounds the scripts that are looked at.
const workerBytes = 4 << 20

// WorkerScripts lists the addresses of a folder's scripts that listen to the events of a service worker, in the order
// of their paths.
func WorkerScripts(f *site.Folder) (list []string) {
	for _, file := range f.Files() {
		if !strings.HasSuffix(file.Path, ".js") && !strings.HasSuffix(file.Path, ".mjs") || file.Size > workerBytes {
			continue
		}
		if text, err := file.Bytes(); err == nil && listensAsWorker.Match(text) {
			list = append(list, f.PathOf(file))
		}
	}
	return list
}
