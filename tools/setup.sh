#!/bin/sh
# Installs the named Debian packages where their programs are missing.
set -eu
missing=""
for package in "$@"; do
  case "$package" in
    postgresql) ls /usr/lib/postgresql/*/bin/postgres >/dev/null 2>&1 || missing="$missing postgresql" ;;
    chromium) command -v chromium >/dev/null 2>&1 || missing="$missing chromium" ;;
    *) echo "setup: unknown package $package" >&2; exit 2 ;;
  esac
done
[ -n "$missing" ] || exit 0
as_root=""
if [ "$(id -u)" != 0 ]; then
  command -v sudo >/dev/null 2>&1 || { echo "setup: install these packages first:$missing" >&2; exit 1; }
  as_root=sudo
fi
echo "installing:$missing"
# The package would start a server of its own; ours is private.
made_policy=""
if [ ! -e /usr/sbin/policy-rc.d ] && [ -z "$as_root" ]; then
  printf '#!/bin/sh\nexit 101\n' > /usr/sbin/policy-rc.d && chmod +x /usr/sbin/policy-rc.d && made_policy=yes
fi
trap '[ -z "$made_policy" ] || rm -f /usr/sbin/policy-rc.d' EXIT
$as_root apt-get update -qq
# shellcheck disable=SC2086
DEBIAN_FRONTEND=noninteractive $as_root apt-get install -y -qq --no-install-recommends $missing >/dev/null
