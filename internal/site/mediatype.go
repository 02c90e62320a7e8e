package site

import (
	"path"
	"strings"
)

// mediaTypes holds the types that hosts usually send; it is ours so that every machine answers alike.
var mediaTypes = map[string]string{
	".html": "text/html; charset=utf-8", ".htm": "text/html; charset=utf-8", ".xhtml": "application/xhtml+xml",
	".css": "text/css; charset=utf-8", ".js": "text/javascript; charset=utf-8", ".mjs": "text/javascript; charset=utf-8",
	".json": "application/json", ".map": "application/json", ".webmanifest": "application/manifest+json",
	".geojson": "application/geo+json", ".xml": "application/xml", ".rss": "application/rss+xml",
	".atom": "application/atom+xml",
	".txt":  "text/plain; charset=utf-8", ".md": "text/markdown; charset=utf-8", ".csv": "text/csv; charset=utf-8",
	".ics": "text/calendar; charset=utf-8", ".vtt": "text/vtt; charset=utf-8", ".pdf": "application/pdf",
	".svg": "image/svg+xml", ".png": "image/png", ".jpg": "image/jpeg", ".jpeg": "image/jpeg", ".gif": "image/gif",
	".webp": "image/webp", ".avif": "image/avif", ".ico": "image/x-icon", ".bmp": "image/bmp", ".jxl": "image/jxl",
	".woff": "font/woff", ".woff2": "font/woff2", ".ttf": "font/ttf", ".otf": "font/otf",
	".mp3": "audio/mpeg", ".m4a": "audio/mp4", ".ogg": "audio/ogg", ".opus": "audio/ogg", ".wav": "audio/wav",
	".flac": "audio/flac",
	".mp4":  "video/mp4", ".webm": "video/webm", ".mov": "video/quicktime", ".ogv": "video/ogg",
	".wasm": "application/wasm", ".zip": "application/zip", ".gz": "application/gzip",
}

// mediaType gives the type for a path; own holds the project's types by extension or whole path.
func mediaType(p string, own map[string]string) string {
	if t, ok := own[p]; ok {
		return t
	}
	ext := path.Ext(p)
	if t, ok := own[ext]; ok {
		return t
	}
	if t, ok := mediaTypes[strings.ToLower(ext)]; ok {
		return t
	}
	return "application/octet-stream"
}

// IsHTML says whether a Content-Type value is that of an HTML document.
func IsHTML(contentType string) bool { return Essence(contentType) == "text/html" }

// Essence is the type and subtype of a Content-Type value in lower case, without parameters (MIME Sniffing, 4.1).
func Essence(contentType string) string {
	t, _, _ := strings.Cut(contentType, ";")
	return strings.ToLower(strings.TrimSpace(t))
}

// javaScriptTypes are the JavaScript MIME types (MIME Sniffing, 4.6).
var javaScriptTypes = map[string]bool{
	"application/ecmascript": true, "application/javascript": true, "application/x-ecmascript": true,
	"application/x-javascript": true,
	"text/ecmascript":          true, "text/javascript": true, "text/javascript1.0": true, "text/javascript1.1": true,
	"text/javascript1.2": true,
	"text/javascript1.3": true, "text/javascript1.4": true, "text/javascript1.5": true, "text/jscript": true,
	"text/livescript":   true,
	"text/x-ecmascript": true, "text/x-javascript": true,
}

// IsJavaScript says whether an essence is that of a script.
func IsJavaScript(essence string) bool { return javaScriptTypes[essence] }
