# Shared by scripts/*: where the project is, its virtual environment, and how Debian's packages are had.
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
cd "$root"
venv=${CORDTALLY_VENV:-$root/.venv}

# Install Debian packages when that is possible; say how to get them, and what their lack costs (an argument that
# begins with "so "), when it is not. Gives 1 when something is missing.
debian() {
  local missing=() costs=""
  for package in "$@"; do
    [[ $package == "so "* ]] && { costs=", $package"; continue; }
    dpkg-query -W -f '${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing+=("$package")
  done
  [[ ${#missing[@]} -eq 0 ]] && return 0
  if [[ $(id -u) -eq 0 ]] && command -v apt-get >/dev/null; then
    apt-get update -qq >/dev/null && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends \
      "${missing[@]}" >/dev/null && return 0
  fi
  echo "missing: ${missing[*]}$costs; to get them: sudo apt-get install ${missing[*]}" >&2
  return 1
}

# Make the virtual environment once, and install the package with the given extras into it.
prepare() {
  local python=${PYTHON:-python3}
  if [[ ! -x $venv/bin/python ]]; then
    if ! "$python" -m venv "$venv" 2>/dev/null; then
      rm -rf "$venv"
      debian python3-venv
      "$python" -m venv "$venv"
    fi
  fi
  "$venv/bin/python" -m pip install --quiet --disable-pip-version-check -e "$1"
}
