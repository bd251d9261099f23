#!/usr/bin/env bash
# Installs the Debian packages that are missing. As root, or through sudo.
# Usage: scripts/packages.sh demo|test
set -euo pipefail
. "$(dirname "$0")/logged.sh"

wanted=(mariadb-server)
[ "${1:-demo}" = test ] && wanted+=(chromium-headless-shell chromium-driver)

missing=()
for package in "${wanted[@]}"; do
  dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing+=("$package")
done
[ ${#missing[@]} -eq 0 ] && exit 0

as_root=()
[ "$(id -u)" -ne 0 ] && as_root=(sudo)
# A database server that Debian would start by itself is not wanted: Marea starts its own. policy-rc.d is how Debian is told.
guard=/usr/sbin/policy-rc.d
made_guard=no
if [ ! -e "$guard" ]; then
  printf '#!/bin/sh\nexit 101\n' | "${as_root[@]}" tee "$guard" >/dev/null
  "${as_root[@]}" chmod +x "$guard"
  made_guard=yes
fi
finish() { if [ "$made_guard" = yes ]; then "${as_root[@]}" rm -f "$guard"; fi; }
trap finish EXIT

echo "Installing ${missing[*]}"
logged "Asking Debian for its list of packages" "${as_root[@]}" apt-get update -qq
logged "Installing ${missing[*]}" "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive \
  apt-get install -y -qq --no-install-recommends "${missing[@]}"
