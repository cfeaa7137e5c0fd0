#!/usr/bin/env bash
# Runs Keen Lattice on the Windows machine that build.sh made: every command once, and the tests that are given.
#
# Usage: tests/windows/run.sh FOLDER TEST...
set -eu
cd "$(dirname "$0")/../.."

folder=$(realpath "$1")
shift
export WINEPREFIX=$folder/prefix WINEDEBUG=-all WINEDLLOVERRIDES="mscoree,mshtml=;ucrtbase=n,b"
export PYTHONPATH="Z:$(pwd | tr / '\\')\\src" PYTHONDONTWRITEBYTECODE=1
python() { wine "$folder/python/python.exe" "$@" </dev/null 2>&1 | cat; return "${PIPESTATUS[0]}"; }

# What Wine starts in the background must not hold on to our output, or whoever reads that waits for ever.
wineserver -k 2>/dev/null || true  # one that is left from before would go on as it was started
wineserver -w
wineserver -p >/dev/null 2>&1 </dev/null
trap 'wineserver -k' EXIT
wine cmd /c exit >/dev/null 2>&1 </dev/null

python tests/smoke.py Z:"$folder/python/python.exe" -m keenlattice.cli.start
python -X utf8 -m pytest -p no:cacheprovider -m "not real" "$@"
