// Package skerryline holds the example site: sailings and tides of the made-up Orrin Isles.
package skerryline

import "embed"

// Plain is the site as it was before anything was done to it, with its project file and master picture.
//
//go:embed all:plain
var Plain embed.FS

// Next holds the files of the site's next release that are not as before.
//
//go:embed all:next
var Next embed.FS
