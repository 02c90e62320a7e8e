package chromium

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/target"
	"github.com/chromedp/chromedp"
)

// lookForWorkers is the time between two looks for new workers.
const lookForWorkers = 300 * time.Millisecond

// Console implements driver.Console. It attaches to the service workers, as developer tools do, so they are not stopped when idle.
func (c *Browser) Console(ctx context.Context, hear func(line string)) {
	attached := map[target.ID]bool{}
	for {
		infos, err := chromedp.Targets(c.ctx)
		if err != nil {
			return // the browser has ended
		}
		for _, info := range infos {
			if info.Type == "service_worker" && !attached[info.TargetID] {
				attached[info.TargetID] = true
				go c.attach(ctx, info.TargetID, hear)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(lookForWorkers):
		}
	}
}

// attach reports the console output of a worker.
func (c *Browser) attach(ctx context.Context, id target.ID, hear func(string)) {
	worker, _ := chromedp.NewContext(c.ctx, chromedp.WithTargetID(id)) // ends with the browser; cancelling would stop the worker
	_ = chromedp.Listen(worker, func(e any) {
		switch e := e.(type) {
		case *runtime.EventConsoleAPICalled:
			var words []string
			for _, a := range e.Args {
				words = append(words, textOf(a))
			}
			hear(fmt.Sprintf("%s: %s", e.Type, strings.Join(words, " ")))
		case *runtime.EventExceptionThrown:
			d := e.ExceptionDetails
			text := d.Text
			if d.Exception != nil && d.Exception.Description != "" {
				text = d.Exception.Description
			}
			hear(fmt.Sprintf("error: %s (line %d)", strings.SplitN(text, "\n", 2)[0], d.LineNumber+1))
		}
	})
	_ = chromedp.Do(worker, chromedp.Func(func(ctx context.Context, s *chromedp.Target) error {
		_, err := cdp.Call(ctx, s, runtime.Enable, cdp.Empty{})
		return err
	}))
}

// textOf returns the text of a value in the console.
func textOf(o *runtime.RemoteObject) string {
	switch {
	case o.Description != "":
		return o.Description
	case o.UnserializableValue != "":
		return string(o.UnserializableValue)
	}
	return strings.Trim(string(o.Value), `"`)
}
