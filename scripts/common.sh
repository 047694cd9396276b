# SPDX-License-Identifier: GPL-3.0-or-later
# Shared by the scripts: installs what is missing, configures and builds.
set -euo pipefail
root="$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)"

install_packages() {
  local missing=()
  while read -r p; do
    case "$p" in ''|'#'*) continue ;; esac
    dpkg-query -W -f='${Status}' "$p" 2>/dev/null | grep -q 'install ok installed' || missing+=("$p")
  done < "$root/scripts/packages.txt"
  [ ${#missing[@]} = 0 ] && return
  local sudo=""
  [ "$(id -u)" = 0 ] || sudo=sudo
  echo "installing: ${missing[*]}"
  export DEBIAN_FRONTEND=noninteractive
  $sudo apt-get update -qq
  $sudo apt-get install -y -qq --no-install-recommends "${missing[@]}"
}

build() { # preset [target]
  cmake --preset "$1" -S "$root" > "$root/.cmake.log" 2>&1 || { cat "$root/.cmake.log"; rm -f "$root/.cmake.log"; exit 1; }
  rm -f "$root/.cmake.log"
  cmake --build "$root/build/$1" ${2:+--target "$2"}
}
