#!/bin/sh
# A disk with Debian, its kernel, and the libraries that the Linux rig needs, for a machine in qemu: build.sh FOLDER
set -eu
into=$1
here=$(cd "$(dirname "$0")" && pwd)
root=$into/root
mkdir -p "$into"
debootstrap --variant=minbase --include=python3,kmod,pciutils,linux-image-amd64 bookworm "$root" >"$into/debootstrap.log"
rm -rf "$root"/usr/share/doc "$root"/usr/share/man "$root"/usr/share/locale "$root"/var/cache/apt "$root"/var/lib/apt/lists
python3 -m pip install --quiet --disable-pip-version-check --python-version 3.11 --only-binary=:all: \
  --target "$root/usr/lib/python3/dist-packages" numpy pydantic tomlkit platformdirs filelock lazy_loader psutil
mkdir -p "$root/keen" "$root/state"
cp "$here/init" "$root/keen-init"
chmod +x "$root/keen-init"
cp "$root"/boot/vmlinuz-* "$into/kernel"
cp "$root"/boot/initrd.img-* "$into/initrd"
rm -rf "$root/boot" "$into/disk"
size=$(($(du -sm "$root" | cut -f1) + 300))
mke2fs -q -t ext4 -d "$root" "$into/disk" "${size}M"
rm -rf "$root"
iasl -p "$into/power" "$here/power.asl" >"$into/iasl.log"
touch "$into/made"
