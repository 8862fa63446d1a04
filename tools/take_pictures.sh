#!/usr/bin/env bash
# Take the pictures of docs/screenshots again, each in a real terminal window on a virtual screen.
# Needs xvfb, xterm, imagemagick and fonts-dejavu of Debian; installs them when they are missing.
set -euo pipefail
cd "$(dirname "$0")/.."
pictures="$PWD/docs/screenshots"
if ! command -v Xvfb xterm import >/dev/null; then
  apt-get update -q && apt-get install -q -y xvfb xterm imagemagick fonts-dejavu-core
fi
work=$(mktemp -d)
display=":$((90 + RANDOM % 100))"
Xvfb "$display" -screen 0 1280x800x24 >/dev/null 2>&1 &
screen=$!
trap 'kill $screen; rm -rf "$work"' EXIT
sleep 1

# picture NAME LINES COMMAND: the last LINES lines that COMMAND shows ("top": the first ones).
picture() {
  local name=$1 part=$2 command=$3
  cat >"$work/show" <<EOF
cd "$work"
stty cols 140 rows 42
script -qec 'stty cols 140; $command' /dev/null >"$work/shown" 2>&1
printf '\033[1;32m\$\033[0m %s\n' '$command'
if [ "$part" = top ]; then head -n 39 "$work/shown"; else tail -n $part "$work/shown"; fi
printf '\033[?25l'
touch "$work/ready"
sleep 30
EOF
  rm -f "$work/ready"
  DISPLAY=$display LC_ALL=C.UTF-8 xterm -fa 'DejaVu Sans Mono' -fs 11 -geometry 140x42+0+0 \
    -bg '#11151c' -fg '#d5dae3' -b 8 -bw 0 +sb -e bash "$work/show" &
  local window=$!
  while [ ! -e "$work/ready" ]; do sleep 0.2; done
  sleep 1
  DISPLAY=$display import -window root -colors 64 "$pictures/$name.png"
  kill $window
  wait $window 2>/dev/null || true
}

picture demo top 'igual demo port'
picture demo-end 39 'igual demo port'
picture survey top 'igual survey port/trees.csv -c species -c district -c height_m'
picture tally top 'igual tally port/trees.csv -c district --top 30'
picture preview top 'igual apply port/trees.toml port/trees.csv --preview 3'
picture apply top 'igual apply port/trees.toml port/trees.csv --out clean.csv --trail trail.csv'
picture check top 'igual check port/trees.toml port/trees.csv'
picture compare top 'igual tally port/trees.csv -c district --against port/clean.csv --top 10; igual tally port/clean.csv -c site --by condition'
picture match top 'igual match port/trees.csv -c species -l port/species.csv'
picture lookalikes top 'igual lookalikes port/trees.csv -c species'
