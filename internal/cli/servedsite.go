package cli

import (
	"context"

	"tachyform/internal/audit"
	"tachyform/internal/project"
)

// servedSite is the folder that serve serves, for the embedded user agent.
type servedSite struct {
	ctx     context.Context
	project *project.Project
	// folders are those of the site and, with --next, of the next release.
	folders []string
	// deployed reports whether the next release is served. found is called when a result is there.
	deployed func() bool
	found    func()
}

// folder returns the folder of a release.
func (s *servedSite) folder(next bool) string {
	if next {
		return s.folders[1]
	}
	return s.folders[0]
}

// fingerprint returns a fingerprint of a folder and the project file.
func (s *servedSite) fingerprint(next bool) uint64 {
	return fingerprintOf(s.folder(next), s.project.Path)
}

// input opens a release for the audit.
func (s *servedSite) input(next bool) (audit.Input, error) {
	f, err := openFolder(s.folder(next), s.project)
	if err != nil {
		return audit.Input{}, err
	}
	others, err := otherHosts(s.project)
	return audit.Input{Project: s.project, Host: f, Folder: f, Others: others}, err
}
