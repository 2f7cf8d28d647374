#!/usr/bin/env bash
# Plays docs/install.md on a machine of its own: a minimal Debian in a folder, from nothing to a new shop's signed first
# call over TLS, with each step's time. Needs root, debootstrap and ports 80, 443 and 8000 free. Leaves nothing behind.
#   sudo deploy/drill.sh
set -euo pipefail
source=$(cd "$(dirname "$0")/.." && pwd)
[ "$(id -u)" = 0 ] || { echo "run it as root" >&2; exit 2; }
name=plentar.example
began=$(date +%s)
last=$began
done_with() {
  local now
  now=$(date +%s)
  printf '%4d s  %s\n' $((now - last)) "$1"
  last=$now
}
for tool in debootstrap openssl curl git; do
  command -v "$tool" > /dev/null || { apt-get update -q > /dev/null; apt-get install -y -q --no-install-recommends "$tool" > /dev/null; }
done
root=$(mktemp -d /var/tmp/plentar-drill.XXXXXX)
inside() { chroot "$root" "$@"; }
pids=()
clean() {
  [ ${#pids[@]} = 0 ] || kill "${pids[@]}" 2> /dev/null || true
  inside nginx -s stop 2> /dev/null || true
  inside sh -c 'pg_lsclusters -h | while read -r v c rest; do pg_ctlcluster $v $c stop -m fast; done' 2> /dev/null || true
  sleep 1
  umount "$root/proc" "$root/dev/shm" 2> /dev/null || true
  rm -rf --one-file-system "$root"
}
trap clean EXIT

chmod 755 "$root"
debootstrap --variant=minbase --include=ca-certificates bookworm "$root" > /dev/null
# A machine behind an authority of its own trusts it inside too.
if [ -d /usr/local/share/ca-certificates ]; then
  cp -r /usr/local/share/ca-certificates/. "$root/usr/local/share/ca-certificates/"
  inside update-ca-certificates > /dev/null 2>&1
fi
cp /etc/resolv.conf "$root/etc/"
[ ! -e /etc/pip.conf ] || cp /etc/pip.conf "$root/etc/"
mount -t proc proc "$root/proc"
mkdir -p "$root/dev/shm" && mount -t tmpfs tmpfs "$root/dev/shm"
printf '#!/bin/sh\nexit 101\n' > "$root/usr/sbin/policy-rc.d" && chmod 755 "$root/usr/sbin/policy-rc.d"
mkdir "$root/src"
git -C "$source" archive HEAD | tar -x -C "$root/src"
openssl req -x509 -newkey rsa:2048 -nodes -days 2 -subj "/CN=$name" -addext "subjectAltName=DNS:$name" \
  -keyout "$root/key.pem" -out "$root/certificate.pem" 2> /dev/null
done_with "a minimal Debian"

inside /src/deploy/install.sh "$name" --certificate /certificate.pem --key /key.pem > "$root/install.log" 2>&1 \
  || { tail -20 "$root/install.log" >&2; exit 1; }
done_with "deploy/install.sh"
inside /src/deploy/install.sh "$name" --certificate /certificate.pem --key /key.pem > "$root/again.log" 2>&1 \
  || { tail -20 "$root/again.log" >&2; exit 1; }
done_with "the same again"

# The service as systemd would start it: its user, its environment file, its ExecStart line.
unit=$root/etc/systemd/system/plentar.service
run=$(sed -n 's/^ExecStart=//p' "$unit")
mapfile -t settings < <(grep -v '^#' "$root/etc/plentar/plentar.env")
inside runuser -u plentar -- env "${settings[@]}" $run > "$root/serve.log" 2>&1 &
pids+=($!)
inside nginx
for _ in $(seq 60); do
  curl -sf --cacert "$root/certificate.pem" --resolve "$name:443:127.0.0.1" "https://$name/readyz" > /dev/null && break
  sleep 0.5
done
done_with "served over TLS"

link=$(inside /usr/local/bin/plentar shop create "Drill Shop" --time-zone America/Chicago --lead lead@$name --lead-name "Ada Lead")
python3 "$source/deploy/drill_client.py" "$link" "$root/certificate.pem"
done_with "a new shop's first call, signed"

inside runuser -u plentar-owner -- env "${settings[@]}" PLENTAR_OWNER_URL_FILE=/etc/plentar/owner-url \
  /opt/plentar/bin/plentar backup /var/backups/plentar/drill.plentar
inside /usr/local/bin/plentar backup --check /var/backups/plentar/drill.plentar
done_with "a backup, and tried"
inside /usr/local/bin/plentar doctor --backups /var/backups/plentar || true
printf '%4d s  all of it\n' $(($(date +%s) - began))
