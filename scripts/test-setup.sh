#!/bin/sh
# Installs what the tests need beside Go: a Chromium. Says loudly what will be skipped when it can't.
set -u
for name in chromium chromium-browser google-chrome google-chrome-stable; do
  if command -v "$name" >/dev/null 2>&1; then exit 0; fi
done
if [ -n "${TACHYFORM_CHROMIUM:-}" ]; then exit 0; fi
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; then
  echo "installing chromium for the tests"
  apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends chromium >/dev/null && exit 0
fi
echo "**********************************************************************"
echo "No Chromium here and no way to install one: the proofs in a real"
echo "browser are SKIPPED. On Debian or Ubuntu: sudo apt-get install chromium"
echo "**********************************************************************"
[ "${CI:-}" != true ]
