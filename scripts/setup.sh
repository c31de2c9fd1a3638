# Sourced by the other scripts: makes the environment on a fresh machine. Nothing here runs when it is there already.
cd "$(dirname "${BASH_SOURCE[0]}")/.."

debian="libglib2.0-0 libgl1 libegl1 libxkbcommon0 libfontconfig1 libdbus-1-3 xvfb xauth libxcb-cursor0 libxkbcommon-x11-0 libxcb-icccm4 libxcb-keysyms1 libxcb-shape0"

have_packages() {
  command -v dpkg-query >/dev/null || return 0
  local package
  for package in $debian; do
    dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' ||
      dpkg-query -W -f='${Status}' "${package}t64" 2>/dev/null | grep -q 'install ok installed' || return 1
  done
}

if ! have_packages; then
  if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
    echo "Installing system packages for Qt …" >&2
    apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $debian >/dev/null ||
      { echo "The system packages could not be installed: $debian" >&2; exit 1; }
  else
    echo "Please install these system packages first: sudo apt-get install $debian" >&2
    exit 1
  fi
fi

python=${PYTHON:-python3}
"$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' || { echo "Deep Mirror needs Python 3.11 or newer." >&2; exit 1; }
stamp=.venv/.installed-$(cat requirements.lock pyproject.toml | sha256sum | cut -c1-16)
if [ ! -e "$stamp" ]; then
  echo "Setting up .venv …" >&2
  [ -x .venv/bin/python ] || "$python" -m venv .venv || { echo "python3-venv is missing: sudo apt-get install python3-venv" >&2; exit 1; }
  .venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps -r requirements.lock
  .venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
  rm -f .venv/.installed-*
  touch "$stamp"
fi
export TF_CPP_MIN_LOG_LEVEL=${TF_CPP_MIN_LOG_LEVEL:-2}
export OPENBLAS_NUM_THREADS=${OPENBLAS_NUM_THREADS:-1}
