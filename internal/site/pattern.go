package site

import (
	"tachyform/internal/pattern"
)

// Pattern is a URL pattern of the project file.
type Pattern = pattern.Pattern

// NewPattern compiles one; see pattern.New.
var NewPattern = pattern.New
