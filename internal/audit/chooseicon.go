package audit

import (
	"math"
	"path"
	"strconv"
	"strings"

	"tachyform/internal/manifest"
)

// declared reads one of an icon's declared sizes; what the browser's integers cannot hold counts as no size at all.
func declared(size string) (w, h int, isAny bool) {
	x, y, _ := strings.Cut(size, "x")
	w, err1 := strconv.Atoi(x)
	h, err2 := strconv.Atoi(y)
	if size == "any" || max(w, h) > math.MaxInt32 {
		return 0, 0, true
	}
	if err1 != nil || err2 != nil {
		return 0, 0, false
	}
	return w, h, false
}

// installIcon is the index of the icon that a browser fetches to install with, -1 for none: that of exactly the size it
// wants, else one for any size, else the square one nearest to it, larger rather than smaller; of equals the last.
// Measured, see docs/conformance.md.
func installIcon(icons []manifest.Image) int {
	exact, anySize, nearest, least := -1, -1, -1, 0
	for i, img := range icons {
		if !img.HasPurpose("any") || !pictureType(img) {
			continue
		}
		for _, size := range img.Sizes {
			w, h, isAny := declared(size)
			switch {
			case isAny:
				anySize = i
			case w != h || h < leastIcon:
			case h == leastIcon:
				exact = i
			case nearest < 0 || h <= least:
				nearest, least = i, h
			}
		}
	}
	switch {
	case exact >= 0:
		return exact
	case anySize >= 0:
		return anySize
	}
	return nearest
}

// pictureType says whether a browser would choose an icon by its declared type, or by its ending where it declares
// none.
func pictureType(img manifest.Image) bool {
	kind := strings.ToLower(img.Type)
	if kind == "" {
		u, _, _ := strings.Cut(img.Src, "?")
		kind = "image/" + strings.TrimPrefix(strings.ToLower(path.Ext(u)), ".")
	}
	switch strings.TrimPrefix(kind, "image/") {
	case "png", "svg+xml", "svg", "webp", "jpeg", "jpg", "pjpeg", "gif", "avif", "bmp", "x-ms-bmp", "x-xbitmap", "x-icon",
		"vnd.microsoft.icon", "ico", "x-png", "apng":
		return strings.HasPrefix(kind, "image/")
	}
	return false
}

// shownType says whether an icon's declared type, or its extension when it declares none, is one that installing takes.
func shownType(img manifest.Image) bool {
	switch img.Type {
	case "image/png", "image/svg+xml", "image/webp":
		return true
	case "":
		u := img.Src
		u, _, _ = strings.Cut(u, "?")
		switch strings.ToLower(path.Ext(u)) {
		case ".png", ".svg", ".webp":
			return true
		}
	}
	return false
}

// largestIcon gives the address of the manifest's largest icon for one of the purposes, those named first before the
// others.
func largestIcon(p *manifest.Processed, purposes ...string) string {
	for _, purpose := range purposes {
		best, url := -1, ""
		for _, i := range p.Icons {
			for _, role := range i.Purpose {
				if role != purpose {
					continue
				}
				size := 0
				for _, s := range i.Sizes {
					if s == "any" {
						size = 1 << 20
					}
					w, _, _ := strings.Cut(s, "x")
					if n, err := strconv.Atoi(w); err == nil {
						size = max(size, n)
					}
				}
				if size > best {
					best, url = size, i.Src
				}
			}
		}
		if url != "" {
			return url
		}
	}
	return ""
}
