#!/bin/sh
# Make a bare Debian root and run the two commands of the README in it, from a clone of this folder.
# Needs root and mmdebstrap; leaves the root in build/bare when it fails.
set -eu

cd "$(dirname "$0")/.."
ROOT=build/bare
SUITE=${1:-bookworm}

command -v mmdebstrap >/dev/null 2>&1 || { echo "mmdebstrap is needed: apt-get install mmdebstrap" >&2; exit 2; }
[ "$(id -u)" = 0 ] || { echo "Run it as root." >&2; exit 2; }

rm -rf "$ROOT"
mkdir -p build
mmdebstrap --quiet --variant=apt --include=ca-certificates,python3,python3-pip,make,git "$SUITE" "$ROOT"
git clone --quiet . "$ROOT/root/tartan"

# What the machine says about packages and names, and whom it trusts, is the root's too.
TRUST=/etc/ssl/certs/ca-certificates.crt
for file in /etc/resolv.conf /etc/hosts /etc/pip.conf /root/.config/pip/pip.conf $TRUST; do
  if [ -e "$file" ]; then
    mkdir -p "$ROOT$(dirname "$file")"
    cp -L "$file" "$ROOT$file"
  fi
done
mount --bind /proc "$ROOT/proc"
mount --rbind /dev "$ROOT/dev"
trap 'umount "$ROOT/proc"; umount -l "$ROOT/dev"' EXIT INT TERM

for command in demo test; do
  echo "== make $command"
  chroot "$ROOT" env -i HOME=/root PATH=/usr/sbin:/usr/bin:/sbin:/bin LANG=C.UTF-8 \
    SSL_CERT_FILE="$TRUST" PIP_CERT="$TRUST" \
    sh -c "cd /root/tartan && make $command"
done
umount "$ROOT/proc"
umount -l "$ROOT/dev"
trap - EXIT INT TERM
rm -rf "$ROOT"
echo "Both commands work on a bare Debian."
