# demo   the whole story on the stand-in rig; needs only Python 3.11
# test   everything; installs what it needs, Debian packages too where apt and root are there
# check  style, types, layers
# bench  speed, each figure as a ratio to something in the same run
# shots  the pictures in docs/screenshots, made anew from the demo data

PYTHON ?= python3
BIN := .venv/bin
DEBIAN := xvfb libegl1 libgl1 libgl1-mesa-dri xterm imagemagick

.PHONY: demo test check bench shots clean

demo: .venv/installed
	$(BIN)/keen demo

test: .venv/installed-dev debian
	$(BIN)/python -m pytest

check: .venv/installed-dev
	$(BIN)/ruff check .
	$(BIN)/mypy
	$(BIN)/lint-imports

bench: .venv/installed-dev
	$(BIN)/python -m bench

shots: .venv/installed-dev debian
	$(BIN)/python docs/make_screenshots.py

.venv/installed: pyproject.toml
	$(PYTHON) -m venv .venv
	$(BIN)/pip install --quiet --disable-pip-version-check --editable .
	@touch $@

.venv/installed-dev: .venv/installed
	$(BIN)/pip install --quiet --disable-pip-version-check --editable '.[linux,dev]'
	@touch $@

# What the real-driver tests need. Without apt or root they say which package is missing, and are skipped.
.PHONY: debian
debian:
	@if dpkg -s $(DEBIAN) >/dev/null 2>&1; then :; \
	elif command -v apt-get >/dev/null && [ "$$(id -u)" = 0 ]; then \
	  apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $(DEBIAN) >/dev/null; \
	else echo "not installed (needs apt and root): $(DEBIAN)"; fi

clean:
	rm -rf .venv build dist src/*.egg-info
