#!/bin/sh
# Surveys, fits, rehearses and audits a copy of Debian's python3.11-doc, with time and peak memory of each step.
set -eu
docs=/usr/share/doc/python3.11/html
if [ ! -d "$docs" ]; then
  apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq python3.11-doc >/dev/null
fi
here=$(cd "$(dirname "$0")/.." && pwd)
make -s -C "$here" build
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cp -rL "$docs" "$work/docs"
cp "$here/examples/skerry-line/plain/brand/mark.svg" "$work"
cd "$work"
run() {
  echo "== tachyform $*"
  if [ -x /usr/bin/time ]; then
    /usr/bin/time -f '%e s, %M kB at the peak' "$here/bin/tachyform" "$@" >out.txt || true
  else
    time "$here/bin/tachyform" "$@" >out.txt || true
  fi
  tail -4 out.txt
}
run survey docs
run init docs --name "Snake manual" --master mark.svg --origin https://manual.example --no-questions
run fit
run rehearse
run audit
run undo
diff -r "$docs" docs >/dev/null && echo "undo gave back every byte"
