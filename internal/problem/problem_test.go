package problem

import (
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestNearest(t *testing.T) {
	words := []string{"online", "offline", "stalled", "slow", "network-first", "cache-first", "theme_color"}
	for word, want := range map[string]string{"ofline": "offline", "onlin": "online", "staled": "stalled", "solw": "slow", "network_frist": "network-first", "theme-colour": "theme_color", "Slow": "slow", "x": "", "entirely": "", "": ""} {
		assert.Equal(t, want, Nearest(word, words), word)
	}
}

func TestProblems(t *testing.T) {
	one := &Problem{What: "it is empty", Where: "dist", Mend: "build it"}
	assert.Equal(t, "dist: it is empty (build it)", one.Error())
	assert.Equal(t, []*Problem{one}, All(fmt.Errorf("while reading: %w", one)))
	assert.Len(t, All(List{one, one}), 2)
	assert.Equal(t, Read, All(errors.New("x"))[0].Kind)
	assert.NoError(t, List{}.Or())
}
