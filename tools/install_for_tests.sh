#!/usr/bin/env bash
# What the tests hold Igual against, where Debian has it: Unicode's own tables (unicode-data), a real PostgreSQL,
# which the tests start for themselves, Java, on which Spark runs, and Chromium, which opens the pages. Elsewhere, or without the right to install, the tests that need them are
# skipped and say so.
set -u
wanted=()
[ -e /usr/share/unicode/CaseFolding.txt ] || wanted+=(unicode-data)
compgen -G "/usr/lib/postgresql/*/bin/initdb" >/dev/null || command -v initdb >/dev/null || wanted+=(postgresql)
command -v chromium >/dev/null || wanted+=(chromium)
command -v java >/dev/null || wanted+=(default-jre-headless)
[ ${#wanted[@]} = 0 ] && exit 0
if command -v apt-get >/dev/null && [ "$(id -u)" = 0 ]; then
  export DEBIAN_FRONTEND=noninteractive
  { apt-get install -q -y "${wanted[@]}" || { apt-get update -q && apt-get install -q -y "${wanted[@]}"; }; } >/dev/null 2>&1
fi
exit 0
