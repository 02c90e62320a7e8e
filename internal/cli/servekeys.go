package cli

import (
	"bytes"
	"io"
	"os"

	"golang.org/x/term"
)

// networkKeys are the keys that switch the network, in the order of the key line.
var networkKeys = []struct {
	key  byte
	name string
}{{'o', "online"}, {'f', "offline"}, {'s', "stalled"}, {'l', "slow"}, {'k', "flaky"}}

// In raw mode a terminal sends these bytes instead of a signal or an end of file.
const (
	ctrlC = 3
	ctrlD = 4
)

// keys starts the output, switches a terminal to raw mode and handles its keys in the background. list describes the keys. restore resets the terminal.
// Without a terminal there are no keys.
func (s *serving) keys(stop func()) (list []string, restore func()) {
	in, is := s.in.(*os.File)
	if !s.terminal || !is {
		s.printer = newPrinter(s.out)
		return nil, func() {}
	}
	before, err := term.MakeRaw(int(in.Fd()))
	if err != nil {
		s.printer = newPrinter(s.out)
		return nil, func() {}
	}
	s.printer = newPrinter(styledThrough(rawWriter{s.screen}, s.screen))
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
				return // the control page still works
			}
			s.press(buffer[0], stop)
		}
	}()
	return list, func() { term.Restore(int(in.Fd()), before) }
}

// rawWriter writes to a terminal in raw mode, which needs a carriage return before each line feed.
type rawWriter struct{ io.Writer }

func (w rawWriter) Write(text []byte) (int, error) {
	if _, err := w.Writer.Write(bytes.ReplaceAll(text, []byte("\n"), []byte("\r\n"))); err != nil {
		return 0, err
	}
	return len(text), nil
}

// press handles a key.
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
