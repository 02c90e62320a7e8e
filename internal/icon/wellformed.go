package icon

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"regexp"

	"golang.org/x/net/html/charset"
)

const svgNamespace = "http://www.w3.org/2000/svg"

var entity = regexp.MustCompile(`<!ENTITY\s+([\w:.-]+)\s+(?:"([^"]*)"|'([^']*)')\s*>`)

// checkSVG says why browsers would not show an SVG as a picture: as such it has to be well-formed XML with the
// namespaces that it uses declared (XML 1.0, 2.1; Namespaces in XML, 5), other than in the middle of a page.
func checkSVG(data []byte) error {
	dec := xml.NewDecoder(bytes.NewReader(data))
	dec.CharsetReader = charset.NewReaderLabel
	dec.Entity = map[string]string{}
	root := false
	if at := bytes.Index(data, []byte("<?xml ")); at > 0 && !bytes.HasPrefix(data, []byte("\xef\xbb\xbf<?xml")) {
		return fmt.Errorf("browsers show no SVG with anything before its <?xml …?>, not even an empty line")
	}
	for {
		token, err := dec.Token()
		line, _ := dec.InputPos()
		var syntax *xml.SyntaxError
		switch {
		case err == io.EOF && !root:
			return fmt.Errorf("it is XML but no SVG")
		case err == io.EOF:
			return nil
		case errors.As(err, &syntax):
			return fmt.Errorf("browsers show no SVG with a mistake in its XML: line %d, %s", syntax.Line, syntax.Msg)
		case err != nil:
			return fmt.Errorf("browsers show no SVG with a mistake in its XML: line %d, %v", line, err)
		}
		switch x := token.(type) {
		case xml.Directive:
			for _, m := range entity.FindAllSubmatch(x, -1) {
				dec.Entity[string(m[1])] = string(m[2]) + string(m[3])
			}
		case xml.StartElement:
			if !root {
				if x.Name.Local != "svg" {
					return fmt.Errorf("it is XML but no SVG")
				}
				if x.Name.Space != svgNamespace {
					return fmt.Errorf("it lacks xmlns=%q on its <svg>, and without it browsers show nothing", svgNamespace)
				}
				root = true
			}
			seen := map[xml.Name]bool{}
			for _, a := range append(x.Attr, xml.Attr{Name: x.Name}) {
				if space := a.Name.Space; space != "" && space != "xmlns" && !bytes.ContainsAny([]byte(space), ":/") &&
					!declares(data, space) {
					return fmt.Errorf("line %d uses %s: without declaring it, and browsers show no such SVG", line, space)
				}
			}
			for _, a := range x.Attr {
				if seen[a.Name] {
					return fmt.Errorf("line %d has the attribute %s twice, and browsers show no such SVG", line, a.Name.Local)
				}
				seen[a.Name] = true
			}
		}
	}
}

// declares says whether a namespace of that odd name is declared anywhere.
func declares(data []byte, space string) bool {
	return regexp.MustCompile(`xmlns:[\w.-]+\s*=\s*["']` + regexp.QuoteMeta(space) + `["']`).Match(data)
}
