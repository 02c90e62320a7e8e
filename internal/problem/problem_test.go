package problem

import (
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestProblems(t *testing.T) {
	one := &Problem{What: "it is empty", Where: "dist", Mend: "build it"}
	assert.Equal(t, "dist: it is empty (build it)", one.Error())
	assert.Equal(t, []*Problem{one}, All(fmt.Errorf("while reading: %w", one)))
	assert.Len(t, All(List{one, one}), 2)
	assert.Equal(t, Read, All(errors.New("x"))[0].Kind)
	assert.NoError(t, List{}.Or())
}
