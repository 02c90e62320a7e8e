package cli

import (
	"context"
	"fmt"
	"os"

	"tachyform/internal/fit"
	"tachyform/internal/project"
	"tachyform/internal/report"
)

// writing takes the project's state folder, deals with what an earlier run was killed in the middle of, says so, and
// does the work.
func (a *app) writing(ctx context.Context, p *project.Project, dir, command string, work func(*fit.State) error) error {
	if info, err := os.Stat(dir); err != nil || !info.IsDir() {
		return work(nil) // which says what is wrong with it; nothing is to be made beside it
	}
	state, err := fit.OpenState(ctx, fit.StateDir(p, dir), command)
	if err != nil {
		return err
	}
	defer state.Close()
	recovery, err := state.Recover(dir)
	fmt.Fprint(a.err, report.Recovery(recovery, a.width))
	if err != nil {
		return err
	}
	return work(state)
}
