#!/usr/bin/env bash
# Take the pictures of docs/screenshots again: terminals in a real window on a virtual screen, pages in a browser.
# Needs xvfb, xterm, imagemagick, fonts-dejavu, chromium and libreoffice-calc of Debian; installs them when missing.
set -euo pipefail
cd "$(dirname "$0")/.."
pictures="$PWD/docs/screenshots"
# `command -v` is content with one of several.
missing=$(for needed in Xvfb xterm import soffice chromium; do command -v $needed >/dev/null || echo $needed; done)
if [ -n "$missing" ]; then
  apt-get update -q && apt-get install -q -y xvfb xterm imagemagick fonts-dejavu-core libreoffice-calc chromium
fi
work=$(mktemp -d)
display=":$((90 + RANDOM % 100))"
Xvfb "$display" -screen 0 1280x800x24 >/dev/null 2>&1 &
screen=$!
trap 'kill $screen; rm -rf "$work"' EXIT
sleep 1

# picture NAME LINES COMMAND [SAID]: the last LINES lines that COMMAND shows ("top": the first ones), under SAID.
picture() {
  local name=$1 part=$2 command=$3 said=${4:-$3}
  cat >"$work/show" <<EOF
cd "$work"
stty cols 140 rows 42
script -qec 'stty cols 140; $command' /dev/null >"$work/shown" 2>&1
printf '\033[1;32m\$\033[0m %s\n' '$said'
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
picture survey top 'igual survey port/trees.csv -c species -c district -c height_m'
picture tally top 'igual tally port/trees.csv -c district --top 30'
picture preview top 'igual apply port/trees.toml port/trees.csv --preview 3'
picture apply top 'igual apply port/trees.toml port/trees.csv --out clean.csv --trail trail.csv'
rm -f "$work/port/trees.rulings.csv"
picture asking top '{ sleep 4; printf y; sleep 2; printf k; sleep 2; printf 2; sleep 3; printf q; } | script -qec "igual review port/trees.toml --table port/trees.csv --by Ines" /dev/null' \
  'igual review port/trees.toml --table port/trees.csv --by Ines'
rm -f "$work/port/trees.rulings.csv"
picture review top 'igual review port/trees.toml port/ruled.csv --by Ines'
picture check top 'igual check port/trees.toml port/june.csv'
picture compare top 'igual tally port/trees.csv -c district --against port/clean.csv --top 10; igual tally port/clean.csv -c site --by condition'
picture files top 'igual apply port/trees.toml port/trees.csv port/june.csv --out both.parquet --force | tail -3; cat both.parquet | igual tally - -c species --top 6; igual tally port/trees.csv port/june.csv -c site --by source_file --source-file --top 12' \
  'igual apply port/trees.toml port/trees.csv port/june.csv --out both.parquet; cat both.parquet | igual tally - -c species --top 6; igual tally …'
picture match top 'igual match port/trees.csv -c species -l port/species.csv'
picture draft top \
  'igual draft port/trees.csv -l port/species.csv -l port/districts.csv -l port/contractors.csv --codebook port/condition.csv'
picture learn top '{ sleep 4; printf "1\n"; sleep 3; } | script -qec "igual learn port/trees.csv -c district -e HARBOUR Harbour" /dev/null' \
  'igual learn port/trees.csv -c district -e HARBOUR Harbour'
picture lookalikes top 'igual lookalikes port/trees.csv -c species'

# Pages and figures.
python tools/take_pages.py "$work/port"

# The sheet, in a spreadsheet program.
DISPLAY=$display soffice "-env:UserInstallation=file://$work/profile" --nologo --norestore --nofirststartwizard \
  --calc "$work/port/open.xlsx" >/dev/null 2>&1 &
sheet=$!
sleep 20
DISPLAY=$display import -window root -colors 64 "$pictures/sheet.png"
pkill -P $sheet || true
kill $sheet 2>/dev/null || true
