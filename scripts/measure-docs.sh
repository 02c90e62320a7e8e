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
  tail -${lines:-4} out.txt
}
run survey docs
run init docs --name "Snake manual" --master mark.svg --origin https://manual.example --no-questions
mv tachyform.yaml drafted.yaml
cp "$here/scripts/manual.yaml" tachyform.yaml
cat > docs/offline.html <<EOF
<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Not kept here</title></head><body><h1>Not kept here</h1><p>This chapter was not read on this device yet.</p></body></html>
EOF
run fit
run rehearse
lines=40 run audit
run undo
rm docs/offline.html
diff -r "$docs" docs >/dev/null && echo "undo gave back every byte"
