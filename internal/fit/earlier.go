package fit

import (
	"errors"
	"io/fs"
	"os"
	"slices"
)

// earlierFits reads the journals of a site without taking the state folder, oldest first.
func earlierFits(state, site string) ([]*journal, error) {
	root, err := openTree(state)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, writeProblem(state, "the journals cannot be read; the site is untouched", err)
	}
	defer root.Close()
	s := &State{dir: state, root: root}
	list, _, err := s.journalsOf(site)
	return list, err
}

// madeHere says whether a file of the site, with its present content, was made by a fit rather than found and changed.
func madeHere(state, site, path string, content []byte) (bool, error) {
	list, err := earlierFits(state, site)
	now, before := digest(content), foreign
	for _, j := range slices.Backward(list) {
		for _, e := range j.Entries {
			if e.Path == path && e.After == now {
				now, before = e.Before, e.Before
			}
		}
	}
	return before == absent, err
}

// earlierHeads lists the lines that earlier fits of the site put into heads.
func earlierHeads(state, site string) ([]string, error) {
	list, err := earlierFits(state, site)
	var lines []string
	for _, j := range list {
		lines = append(lines, j.Head...)
	}
	slices.Sort(lines)
	return slices.Compact(lines), err
}

// HasJournal says whether anything was fitted before.
func HasJournal(state string) bool {
	root, err := os.OpenRoot(state)
	if err != nil {
		return false
	}
	defer root.Close()
	list, _, err := journalsIn(tree{root})
	return err == nil && len(list) > 0
}
