#!/bin/sh
# Describes, fits and audits copies of documentation from Debian packages without any hand work, with the time and the peak memory of
# each step. Directories may be named; without any, three packages are installed.
set -eu
if [ $# = 0 ]; then
  apt-get update -qq
  DEBIAN_FRONTEND=noninteractive apt-get install -y -qq python3.11-doc python-django-doc postgresql-doc-15 time >/dev/null
  set -- /usr/share/doc/python3.11/html /usr/share/doc/python-django-doc/html /usr/share/doc/postgresql-doc-15/html
fi
here=$(cd "$(dirname "$0")/.." && pwd)
make -s -C "$here" build
for docs; do
  work=$(mktemp -d)
  cp -rL "$docs" "$work/site"
  cp "$here/examples/skerry-line/plain/brand/mark.svg" "$work"
  cd "$work"
  echo "== $docs: $(find site -name '*.html' | wc -l) pages, $(du -sh site | cut -f1)"
  for step in "init site --name Manual --master mark.svg --no-questions" fit audit; do
    /usr/bin/time -f "$step: %U + %S s, %e s by the clock, %M kB at the peak" "$here/bin/tachyform" $step >out.txt || true
  done
  head -2 out.txt
  sed -n '/^RISKS/,/^POLISH/p' out.txt
  wc -l <tachyform.yaml
  "$here/bin/tachyform" undo >/dev/null
  diff -r "$docs" site >/dev/null && echo "undo gave back every byte"
  cd / && rm -rf "$work"
done
