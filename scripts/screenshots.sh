#!/bin/sh
# Makes docs/screenshots from the example: terminals in xterm under Xvfb, pages in headless Chromium; needs ImageMagick too. Run from the repository's root.
set -eu
out=$PWD/docs/screenshots
PATH=$PWD/bin:$PATH
work=$(mktemp -d)
trap 'kill "$xvfb" 2>/dev/null; rm -rf "$work"' EXIT
mkdir -p "$out"
Xvfb :77 -screen 0 1010x990x24 >/dev/null 2>&1 &
xvfb=$!
sleep 1
export DISPLAY=:77

in=demo
# shot NAME COMMAND…: a picture of the terminal after the command
shot() {
  name=$1; shift
  cat > "$work/run.sh" <<EOS
cd "$work/$in"; printf '\033[?25l\033[2m\$ \033[0m$*\n\n'; $*; touch "$work/done"; sleep 20
EOS
  rm -f "$work/done"
  xterm -tn xterm-256color -geometry 98x48+0+0 -fa 'DejaVu Sans Mono' -fs 12 -bg '#14181b' -fg '#e4e2dc' -b 14 +sb -e sh "$work/run.sh" &
  term=$!
  n=0
  while [ ! -e "$work/done" ] && [ $n -lt 100 ]; do sleep 0.1; n=$((n + 1)); done
  sleep 0.7
  import -window root "$out/$name.png"
  mogrify -fuzz 12% -trim +repage -bordercolor '#14181b' -border 24x20 "$out/$name.png"
  kill $term 2>/dev/null || true
  wait $term 2>/dev/null || true
}

page() {
  chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking \
    --disable-component-update --disable-sync --user-data-dir="$work/profile" --hide-scrollbars --window-size=1280,800 \
    --screenshot="$out/$1.png" "$2" >/dev/null 2>&1
}

tachyform demo --into "$work/demo" >/dev/null
(cd "$work/demo" && tachyform undo >/dev/null)
shot survey tachyform survey
shot audit-before tachyform audit
shot fit tachyform fit
shot rehearse tachyform rehearse
shot account tachyform rehearse --account --only "'On the ferry, without a network'"
shot trace tachyform trace /data/sailings.json
shot audit tachyform audit
(cd "$work/demo" && tachyform sheet --out "$out/sheet.png" >/dev/null)
page report "file://$work/demo/audit.html"
in=demo/next-release
(cd "$work/$in" && tachyform fit >/dev/null)
shot handover tachyform handover ../site site
(cd "$work/$in" && tachyform handover ../site site --report html="$work/handover.html" >/dev/null)
page handover-report "file://$work/handover.html"
in=demo

cp -r examples/skerry-board "$work/board"
in=board
shot init tachyform init dist --master mark.svg --name "'Skerry Line departures'"
(cd "$work/board" && tachyform init dist --master mark.svg --name "Skerry Line departures" --no-questions >/dev/null && tachyform fit >/dev/null)
# The stand-in lists what the device keeps: here the pages of the release are said to be there.
sed 's|<body>|<body><script>Object.defineProperty(window, "caches", { value: { match: () => Promise.resolve({}), keys: () => Promise.resolve([]) } })</script>|' \
  "$work/board/stand-in.html" > "$work/stand-in.html"
page stand-in "file://$work/stand-in.html"
