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
unpack() { # name, folder, Debian packages: one and those that it leads to
  [ -d "$1" ] && return
  name=$1 folder=$2
  shift 2
  work=$(mktemp -d)
  (cd "$work" && apt-get download -qq "$@" >/dev/null 2>&1 && for deb in *.deb; do dpkg-deb -x "$deb" all; done)
  cp -rL "$work/all$folder" "$name"
  rm -rf "$work"
}
fetch api-explorer swagger-ui-dist
fetch editor ace-builds
fetch slides reveal.js
fetch dashboard startbootstrap-sb-admin-2
unpack remote /usr/share/transmission/web transmission-common
unpack manual /usr/share/doc/python3.11/html python3.11-doc libjs-sphinxdoc libjs-jquery libjs-underscore
cd "$here"
TACHYFORM_FRONTENDS="$kept" go test -count=1 -timeout 60m ./internal/conformance -run TestFrontEnds -v
