#!/usr/bin/env bash
# Runs Keen Lattice on the Windows machine that build.sh made: every command once, and the tests that are given. They
# run in two halves: all that changes the machine itself (its registry, its screen) is in one, with about half of the time.
#
# Usage: tests/windows/run.sh FOLDER TEST...
set -eu
cd "$(dirname "$0")/../.."

folder=$(realpath "$1")
shift
export WINEPREFIX=$folder/prefix WINEDEBUG=-all WINEDLLOVERRIDES="mscoree,mshtml=;ucrtbase=n,b;powrprof=n"
export PYTHONPATH="Z:$(pwd | tr / '\\')\\src" PYTHONDONTWRITEBYTECODE=1
python() { wine "$folder/python/python.exe" "$@" </dev/null 2>&1 | cat; return "${PIPESTATUS[0]}"; }

# A screen with several modes where there is one to be had, else one with a single mode.
display=:9$((RANDOM % 9))
if [ "$(id -u)" = 0 ] && command -v Xorg >/dev/null; then
  Xorg "$display" -config "$(realpath tests/xorg.conf)" -logfile "$folder/xorg.log" -noreset -nolisten tcp \
    >/dev/null 2>&1 </dev/null &
else
  Xvfb "$display" -nolisten tcp >/dev/null 2>&1 </dev/null &
fi
screen=$!
export DISPLAY=$display
sleep 2

# What Wine starts in the background must not hold on to our output, or whoever reads that waits for ever.
wineserver -k 2>/dev/null || true  # one that is left from before would go on as it was started
wineserver -w
wineserver -p >/dev/null 2>&1 </dev/null
trap 'wineserver -k; kill $screen' EXIT
wine cmd /c exit >/dev/null 2>&1 </dev/null

tests() { python -X utf8 -m pytest -p no:cacheprovider -m "not real" "$@"; }
apart=() rest=()
for module in "$@"; do
  case $module in
    *_windows.py | *_hands.py | *_stored.py | *_apply.py | *_trial.py | *_editor.py | *_catalog.py) apart+=("$module") ;;
    *) rest+=("$module") ;;
  esac
done
tests "${rest[@]}" >"$folder/rest.log" &
beside=$!
status=0
python tests/smoke.py Z:"$folder/python/python.exe" -m keenlattice.cli.start || status=1
tests "${apart[@]}" || status=1
wait $beside || status=1
cat "$folder/rest.log"
exit $status
