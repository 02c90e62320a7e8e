#!/bin/sh
# Fits six published front ends as a newcomer would, and compares what the audit says of their pages offline, opened and clicked, with a real Chromium.
# They come from npm and Debian packages; FRONT_ENDS names a folder that keeps them.
set -eu
here=$(cd "$(dirname "$0")/.." && pwd)
kept=${FRONT_ENDS:-$(mktemp -d)}
mkdir -p "$kept"
cd "$kept"
fetch() { # name, npm package
  [ -d "$1" ] && return
  work=$(mktemp -d)
  (cd "$work" && npm pack --silent "$2" >/dev/null && tar xzf ./*.tgz)
  mv "$work/package" "$1"
  rm -rf "$work"
}
unpack() { # name, Debian package, folder in it
  [ -d "$1" ] && return
  work=$(mktemp -d)
  (cd "$work" && apt-get download -qq "$2" >/dev/null 2>&1 && dpkg-deb -x ./*.deb all)
  cp -r "$work/all$3" "$1"
  find "$1" -type l -delete # these lead to packages that are not here
  rm -rf "$work"
}
fetch api-explorer swagger-ui-dist
fetch editor ace-builds
fetch slides reveal.js
fetch dashboard startbootstrap-sb-admin-2
unpack remote transmission-common /usr/share/transmission/web
unpack manual python3.11-doc /usr/share/doc/python3.11/html
cd "$here"
TACHYFORM_FRONTENDS="$kept" go test -count=1 -timeout 60m ./internal/conformance -run TestFrontEnds -v
