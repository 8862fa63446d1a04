#!/usr/bin/env bash
# The tests against the built wheel, on every Python from 3.11 to 3.14 that is on this machine, and with the oldest
# packages that pyproject.toml names. Says which Pythons were not to be had.
set -euo pipefail
cd "$(dirname "$0")/.."
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
"$PYTHON" -m build --no-isolation --wheel --outdir "$work" . >/dev/null
wheel=$(ls "$work"/*.whl)
# The tests as they were when the wheel was built: the checkout may move on meanwhile.
mkdir "$work/tree"
cp -r tests benchmarks docs ./*.md pyproject.toml examples tools "$work/tree"

# run NAME PYTHON [CONSTRAINTS]
run() {
  echo "== $1"
  "$2" -m venv "$work/$1"
  "$work/$1/bin/python" -m pip install --quiet --disable-pip-version-check "$wheel[dev]" ${3:+-c "$3"}
  cp -r "$work/tree" "$work/tree-$1"
  (cd "$work/tree-$1" && "$work/$1/bin/python" -m pytest -q --hypothesis-profile=thorough tests \
    --ignore tests/test_package.py --ignore tests/test_extending.py)
}

for version in 3.11 3.12 3.13 3.14; do
  python=""
  for candidate in "python$version" "$HOME"/.pyenv/versions/"$version".*/bin/python; do
    if [ "$("$candidate" -c 'import sys; print("%d.%d" % sys.version_info[:2])' 2>/dev/null)" = "$version" ]; then
      python=$candidate
    fi
  done
  if [ -n "$python" ]; then run "$version" "$python"; else echo "== $version is not on this machine"; fi
done

"$PYTHON" - "$work/oldest.txt" <<'EOF'
import re, sys, tomllib
named = tomllib.load(open("pyproject.toml", "rb"))["project"]["dependencies"]
open(sys.argv[1], "w").write("".join(re.sub(">=", "==", name) + "\n" for name in named))
EOF
run oldest "$PYTHON" "$work/oldest.txt"
