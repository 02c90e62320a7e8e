#!/bin/sh
# Installs what the tests need beside Go: a Chromium, and for the basic proofs Firefox and WebKitGTK. Says loudly what will be
# skipped when it can't; without a Chromium CI fails.
set -u
have() { for name in "$@"; do if command -v "$name" >/dev/null 2>&1; then return 0; fi; done; return 1; }
install() {
  [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1 || return 1
  echo "installing $* for the tests"
  [ -n "${updated:-}" ] || apt-get update -qq || return 1
  updated=yes
  DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >/dev/null
}
skipped() {
  echo "**********************************************************************"
  echo "No $1 here and no way to install it: $2 SKIPPED."
  echo "On Debian or Ubuntu: sudo apt-get install $3"
  echo "**********************************************************************"
}
status=0
if [ -z "${TACHYFORM_CHROMIUM:-}" ] && ! have chromium chromium-browser google-chrome google-chrome-stable && ! install chromium; then
  skipped Chromium "the proofs in a real browser are" chromium
  [ "${CI:-}" = true ] && status=1
fi
have firefox-esr firefox || install firefox-esr || skipped Firefox "the basic proofs in it are" firefox-esr
{ have WebKitWebDriver && have Xvfb; } || install webkit2gtk-driver xvfb || skipped WebKitGTK "the basic proofs in it are" "webkit2gtk-driver xvfb"
{ have nginx || [ -x /usr/sbin/nginx ]; } || install nginx-light || skipped nginx "the proof behind a real server is" nginx-light
have gcc || install gcc libc6-dev || skipped "C compiler" "the race detector's run is" "gcc libc6-dev"
exit $status
