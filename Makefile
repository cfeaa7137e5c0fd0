# demo   the whole story on the stand-in rig; needs only Python 3.11
# test   what a change needs, in six minutes; installs what it needs, Debian packages too where apt and root are there
# test-long  the others: of half a minute each, of many kills, and on the real driver; eleven minutes
# test-windows  every command, and the tests that are not about Linux, on Windows' Python under Wine; Debian alone
# test-kernel  the Linux rig on a real kernel in qemu, and power cuts on a disk that loses what was not flushed; root
# check  style, types, layers
# bench  speed, each figure as a ratio to something in the same run
# sensors  how well flashes are found over a grid of signals, written into docs/sensors.md
# films  how well presses and frames are found over a grid of films, written into docs/films.md; about ten minutes
# calibrate  trials and screens against the stand-in's truth, written into docs/calibration.md; under two hours
# calibrate-quick  the part of it that is most easily broken; about five minutes
# torture  the fuzz runs and the kills, at full length
# mutants  small faults, put in one at a time: whether the tests notice; about an hour
# docs  the documentation as a site, into build/site; no network, every link checked
# package  wheel and sdist, each installed into an empty environment, where every command is run
# versions  the tests with the lowest versions that pyproject.toml names, and with the newest there are
# shots  the pictures in docs/screenshots, made anew from the demo data

PYTHON ?= python3
WINDOWS := build/windows
EXTRAS := byhand,film,linux,wayland,cluster,dev,docs
# Modules of tests that are about the Linux rig, a browser, terminals and signals have nothing to say there, nor have those
# whose arithmetic is the same on every system; what is kept on disk, read, started and resumed is tried.
ON_WINDOWS := $(addprefix tests/test_,$(addsuffix .py,apply by_hand catalog editor film hands ini logbook measure pack profile stored \
  study together trial trial_of_files windows workspace))
BIN := .venv/bin
DEBIAN := xvfb libegl1 libgl1 libgl1-mesa-dri mesa-utils xserver-xorg-core xserver-xorg-video-dummy vulkan-tools \
  mesa-vulkan-drivers sway weston xwayland pipewire chromium chromium-driver
DEBIAN_FOR_KERNEL := qemu-system-x86 debootstrap acpica-tools e2fsprogs
DEBIAN_FOR_WINDOWS := wine wine64 gcc-mingw-w64-x86-64-win32 unzip xvfb xserver-xorg-core xserver-xorg-video-dummy
DEBIAN_FOR_SHOTS := xterm imagemagick fonts-dejavu-core

.PHONY: demo test test-long test-windows test-kernel check bench sensors films calibrate calibrate-quick torture mutants docs package versions shots clean

demo: .venv/installed
	$(BIN)/keen demo

test: .venv/installed-dev debian
	$(BIN)/python -m pytest -n auto --dist worksteal -m "not real and not long"

test-long: .venv/installed-dev debian
	$(BIN)/python -m pytest -n auto --dist worksteal -m "long and not real"
	$(BIN)/python -m pytest -m real

test-windows: .venv/installed $(WINDOWS)/made
	tests/windows/run.sh $(WINDOWS) $(ON_WINDOWS)

$(WINDOWS)/made: tests/windows/build.sh $(wildcard tests/windows/*.c tests/windows/*.def)
	$(MAKE) debian-windows
	rm -rf $(WINDOWS)
	tests/windows/build.sh $(WINDOWS)

check: .venv/installed-dev
	$(BIN)/ruff check .
	$(BIN)/mypy
	$(BIN)/mypy --platform win32 src/keenlattice/rig/windows
	$(BIN)/lint-imports

bench: .venv/installed-dev
	$(BIN)/pip install --quiet --disable-pip-version-check --editable '.[bench]'
	$(BIN)/python -m bench

sensors: .venv/installed-dev
	$(BIN)/python -m bench.sensor_grid

films: .venv/installed-dev
	$(BIN)/python -m bench.film_grid

calibrate: .venv/installed-dev
	$(BIN)/python -m bench.calibrate; $(BIN)/python -m bench.calibrate_pools

calibrate-quick: .venv/installed-dev
	$(BIN)/python -m bench.calibrate quick

torture: .venv/installed-dev
	KEEN_KILLS=600 $(BIN)/python -m pytest tests/test_kills.py tests/test_study.py tests/test_stranger.py \
	  -k "kill or held_against"
	$(BIN)/python -m pytest --hypothesis-profile=torture tests/test_pack.py tests/test_formula.py tests/test_ingest.py \
	  tests/test_latency.py tests/test_film.py tests/test_driconf.py tests/test_ini.py -k "mangled or any_text or reads_back_or or damaged_film"

mutants: .venv/installed-dev
	$(BIN)/pip install --quiet --disable-pip-version-check --editable '.[mutants]'
	$(BIN)/python tests/mutants.py

docs: .venv/installed-dev
	NO_MKDOCS_2_WARNING=1 $(BIN)/python -m mkdocs build --strict --quiet
	@echo "build/site/index.html"

package: .venv/installed-dev
	rm -rf build/package
	$(BIN)/python -m build --outdir build/package
	for made in build/package/*.whl build/package/*.tar.gz; do \
	  rm -rf build/package/env && $(PYTHON) -m venv build/package/env && \
	  build/package/env/bin/pip install --quiet --disable-pip-version-check $$made && \
	  $(PYTHON) tests/smoke.py $(CURDIR)/build/package/env/bin/keen || exit 1; \
	done
	build/package/env/bin/pip install --quiet --disable-pip-version-check --dry-run "$$(ls $(CURDIR)/build/package/*.whl)[$(EXTRAS),bench,mutants]"

versions: debian
	for which in lowest-direct highest; do \
	  rm -rf build/versions && $(PYTHON) -m venv build/versions && \
	  build/versions/bin/pip install --quiet --disable-pip-version-check uv && \
	  build/versions/bin/uv pip install --quiet --python build/versions/bin/python --resolution $$which \
	    --editable '.[$(EXTRAS)]' && \
	  build/versions/bin/python -m pytest -n auto -m "not real" || exit 1; \
	done

test-kernel: .venv/installed-dev build/kernel/made
	$(BIN)/python -m pytest -s tests/kernel/on_a_real_kernel.py

build/kernel/made: tests/kernel/build.sh tests/kernel/init tests/kernel/power.asl
	$(MAKE) debian-kernel
	rm -rf build/kernel
	tests/kernel/build.sh build/kernel

shots: .venv/installed-dev debian-shots
	$(BIN)/python docs/make_screenshots.py

.venv/installed: pyproject.toml
	$(PYTHON) -m venv .venv
	$(BIN)/pip install --quiet --disable-pip-version-check --editable .
	@touch $@

.venv/installed-dev: .venv/installed
	$(BIN)/pip install --quiet --disable-pip-version-check --editable '.[$(EXTRAS)]'
	@touch $@

# What the real-driver tests, or the pictures, need. Without apt or root it is said what is missing; the tests that
# need it are then skipped, and say so.
.PHONY: debian debian-shots debian-windows debian-kernel
debian: PACKAGES := $(DEBIAN)
debian-shots: PACKAGES := $(DEBIAN) $(DEBIAN_FOR_SHOTS)
debian-windows: PACKAGES := $(DEBIAN_FOR_WINDOWS)
debian-kernel: PACKAGES := $(DEBIAN_FOR_KERNEL)
debian debian-shots debian-windows debian-kernel:
	@if dpkg -s $(PACKAGES) >/dev/null 2>&1; then :; \
	elif command -v apt-get >/dev/null && [ "$$(id -u)" = 0 ]; then \
	  apt-get update -qq && \
	  DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $(PACKAGES) >/dev/null; \
	else echo "these Debian packages are needed, and are not all here: $(PACKAGES)"; fi

clean:
	rm -rf .venv build dist src/*.egg-info
