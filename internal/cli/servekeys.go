package cli

import (
	"bytes"
	"io"
	"os"

	"golang.org/x/term"
)

// networkKeys are those by which the network is switched, in the order in which they are listed.
var networkKeys = []struct {
	key  byte
	name string
}{{'o', "online"}, {'f', "offline"}, {'s', "stalled"}, {'l', "slow"}, {'k', "flaky"}}

// ctrlC and ctrlD are what a terminal gives for these keys once it gives single ones.
const (
	ctrlC = 3
	ctrlD = 4
)

// keys reads single keys where there is a terminal, until stop is called or the program ends; it gives what they are for, and what
// gives the terminal back.
func (s *serving) keys(stop func()) (list []string, restore func()) {
	in, is := s.in.(*os.File)
	if !s.terminal || !is {
		return nil, func() {}
	}
	before, err := term.MakeRaw(int(in.Fd()))
	if err != nil {
		return nil, func() {}
	}
	s.lines = styledThrough(returning{s.screen}, s.screen)
	for _, k := range networkKeys {
		list = append(list, string(k.key)+" "+k.name)
	}
	if s.control.Next != nil {
		list = append(list, "n next")
	}
	list = append(list, "c clear", "q quit")
	go func() {
		buffer := make([]byte, 1)
		for {
			if n, err := in.Read(buffer); err != nil || n == 0 {
				return // whoever has no keys any more goes on with the control page
			}
			s.press(buffer[0], stop)
		}
	}()
	return list, func() { term.Restore(int(in.Fd()), before) }
}

// returning writes lines to a terminal that gives single keys: it goes down a line, and not to its beginning.
type returning struct{ io.Writer }

func (w returning) Write(text []byte) (int, error) {
	if _, err := w.Writer.Write(bytes.ReplaceAll(text, []byte("\n"), []byte("\r\n"))); err != nil {
		return 0, err
	}
	return len(text), nil
}

// press does what a key is for.
func (s *serving) press(key byte, stop func()) {
	for _, k := range networkKeys {
		if k.key != key {
			continue
		}
		if err := s.control.Choose(k.name); err != nil {
			s.print(err.Error() + "\n")
		}
	}
	switch key {
	case 'n':
		if err := s.control.Deploy(!s.control.Deployed()); err != nil {
			s.print(err.Error() + "\n")
		}
	case 'c':
		s.server.Log.Clear()
		io.WriteString(s.screen, "\x1b[H\x1b[2J")
	case 'q', ctrlC, ctrlD:
		stop()
	}
}
