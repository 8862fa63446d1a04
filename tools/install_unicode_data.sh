#!/usr/bin/env bash
# Unicode's own tables, against which the tests hold case folding and normalisation (Debian: unicode-data).
# Elsewhere, or without the right to install, the tests that need them are skipped and say so.
set -u
[ -e /usr/share/unicode/CaseFolding.txt ] && exit 0
if command -v apt-get >/dev/null && [ "$(id -u)" = 0 ]; then
  { apt-get install -q -y unicode-data || { apt-get update -q && apt-get install -q -y unicode-data; }; } >/dev/null 2>&1
fi
exit 0
