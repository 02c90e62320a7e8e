#!/bin/sh
# Makes docs/screenshots from the example: terminals in xterm under Xvfb, pages in headless Chromium; needs ImageMagick, curl and script too. Run from the repository's root.
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
    --disable-component-update --disable-sync --user-data-dir="$work/profile" --hide-scrollbars --window-size=1280,${3:-800} \
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
# The site is served and opened in a browser with a profile of its own, then the network goes; the control page shows the same.
ask() { curl -s -X POST -H "X-Tachyform-Token: ${control##*#}" -H 'Content-Type: application/json' -H "Origin: ${control%%/#*}" -d "$2" "${control%%/#*}$1" >/dev/null; }
open_site() {
  timeout 20 chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking --disable-component-update \
    --user-data-dir="$work/visitor" --virtual-time-budget=20000 --dump-dom http://127.0.0.1:8300/ >/dev/null 2>&1
}
xterm -tn xterm-256color -geometry 98x48+0+0 -fa 'DejaVu Sans Mono' -fs 12 -bg '#14181b' -fg '#e4e2dc' -b 14 +sb \
  -e script -q -f -c "cd $work/demo && printf '\033[?25l\033[2m\$ \033[0mtachyform serve --next next-release/site\n\n' && tachyform serve --next next-release/site" "$work/typescript" &
term=$!
n=0
while ! grep -q '/#' "$work/typescript" 2>/dev/null && [ $n -lt 100 ]; do sleep 0.1; n=$((n + 1)); done
control=$(grep -o 'http://127.0.0.1:[0-9]*/#[A-Za-z0-9_-]*' "$work/typescript" | head -1)
open_site
ask /overrides '{"overrides": [{"match": "/data/notices.json", "status": 503}]}'
ask /condition '{"condition": "offline"}'
open_site
curl -s -H "X-Tachyform-Token: ${control##*#}" "${control%%/#*}/state" >/dev/null # the predictions begin
sleep 4
import -window root "$out/serve.png"
mogrify -fuzz 12% -trim +repage -bordercolor '#14181b' -border 24x20 "$out/serve.png"
timeout 20 chromium --headless --no-sandbox --disable-gpu --no-first-run --user-data-dir="$work/control" --hide-scrollbars --window-size=1280,1450 \
  --timeout=5000 --screenshot="$out/control.png" "$control" >/dev/null 2>&1
kill $term 2>/dev/null || true
wait $term 2>/dev/null || true
(cd "$work/demo" && tachyform rehearse --browser chromium --under offline --pictures --report html="$work/rehearsed.html" >/dev/null)
page rehearse-report "file://$work/rehearsed.html" 1400
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
