package assetlinks

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
)

var pier = project.AndroidApp{Package: "example.pier", Fingerprints: []string{"AA:BB", "CC:DD"}}

// A file is completed by what proves the app, and keeps what it says of others, known or not.
func TestWith(t *testing.T) {
	const ours = `{"relation":["delegate_permission/common.handle_all_urls"],"target":{"namespace":"android_app","package_name":"example.pier","sha256_cert_fingerprints":["CC:DD","AA:BB","EE:FF"]}}`
	for name, c := range map[string]struct {
		text    string
		changed bool
		says    int
	}{
		"none":                  {"", true, 1},
		"empty list":            {"[]", true, 1},
		"others":                {`[{"relation":["x"],"target":{"namespace":"web","site":"https://x.example"}}, 5]`, true, 3},
		"ours already":          {"[" + ours + "]", false, 1},
		"ours with one missing": {`[{"relation":["delegate_permission/common.handle_all_urls"],"target":{"namespace":"android_app","package_name":"example.pier","sha256_cert_fingerprints":["AA:BB"]}}]`, true, 1},
		"ours for another use":  {`[{"relation":["x"],"target":{"namespace":"android_app","package_name":"example.pier","sha256_cert_fingerprints":["AA:BB","CC:DD"]}}]`, true, 1},
	} {
		t.Run(name, func(t *testing.T) {
			var text []byte
			if c.text != "" {
				text = []byte(c.text)
			}
			out, changed, err := With(text, pier)
			require.NoError(t, err)
			assert.Equal(t, c.changed, changed)
			if !changed {
				assert.Equal(t, c.text, string(out))
			}
			again, changed, err := With(out, pier)
			require.NoError(t, err)
			assert.False(t, changed, "once is enough")
			assert.Equal(t, string(out), string(again))
			if name != "others" { // one of which is no statement at all
				list, err := Parse(out)
				require.NoError(t, err)
				assert.Len(t, list, c.says)
				assert.True(t, list[c.says-1].Proves(pier))
			} else {
				assert.Contains(t, string(out), "https://x.example")
				assert.Contains(t, string(out), "5")
			}
		})
	}
	for _, text := range []string{"{}", "", "[", `"x"`} {
		_, _, err := With([]byte(text), pier)
		assert.Error(t, err, text)
	}
}
