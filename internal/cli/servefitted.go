package cli

import (
	"context"
	"fmt"
	"sync"

	"tachyform/internal/fit"
	"tachyform/internal/serve"
)

// fitOnTheWay prepares what serve adds to the responses of the server that renders the site: the files that fit makes, and the head
// lines of pages. It returns nil if there is nothing to add; why says the reason.
func (s *serving) fitOnTheWay(ctx context.Context) (fitted *serve.Fitted, why string, err error) {
	if s.project.Path == "" {
		return nil, "without tachyform.yaml, pages are served unchanged", nil
	}
	if s.project.App.Text("name") == "" {
		return nil, "tachyform.yaml has no app.name, so pages are served unchanged", nil
	}
	if len(s.folders) > 0 {
		return s.headsOfFolder(ctx)
	}
	o, err := s.openLive(ctx, s.project, s.name)
	if err != nil {
		return nil, "", err
	}
	g, err := s.lookLive(ctx, o)
	if err != nil {
		return nil, "", err
	}
	plan, err := fit.Prepare(ctx, s.project, g.Folder, g)
	if err != nil {
		return nil, "", wrapRead(s.name, err)
	}
	fitted = s.fittedBy(plan)
	for _, c := range plan.Changes {
		fitted.Paths[s.project.Addr+c.Path] = true
	}
	return fitted, "", nil
}

// headsOfFolder adds head lines to the pages of the backend of a folder. The files are in the folder, if it is fitted.
func (s *serving) headsOfFolder(ctx context.Context) (*serve.Fitted, string, error) {
	o, err := s.openSite(ctx, s.project, s.folders[0])
	if err != nil {
		return nil, "", err
	}
	plan, err := s.prepare(ctx, o)
	if err != nil {
		return nil, "", wrapRead(s.name, err)
	}
	for _, c := range plan.Changes {
		if c.What != "page" {
			return nil, fmt.Sprintf("the folder is not fitted, so pages of %s are served unchanged; run tachyform fit", s.backend), nil
		}
	}
	return s.fittedBy(plan), "", nil
}

// fittedBy returns the additions of a plan without its files.
func (s *serving) fittedBy(plan *fit.Plan) *serve.Fitted {
	var noted sync.Map
	return &serve.Fitted{View: plan.View, Paths: map[string]bool{}, Edit: func(text []byte, url string) ([]byte, error) {
		edited, err := fit.EditHead(text, url, plan.Head, nil)
		if err != nil {
			return nil, err
		}
		return edited.Text, nil
	}, Note: func(path string, err error) {
		if _, known := noted.LoadOrStore(path, true); !known {
			s.print(fmt.Sprintf("%s is served unchanged: %v\n", path, err))
		}
	}}
}
