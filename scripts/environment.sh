# Sourced by the other scripts: makes the virtual environment, and the system libraries Qt needs.
# After it, $PYTHON is the environment's interpreter and the working directory is the project's root.

cd "$(dirname "${BASH_SOURCE[0]}")/.." || exit 1

# A message bus of their own for the tests of Bluetooth.
BUS_PACKAGES="dbus-daemon"
# A database server of their own for the tests of a garage that several benches share.
POSTGRES_PACKAGES="postgresql"

say() { echo "$*" >&2; }

can_install() { [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; }

install_packages() {
    say "Installing system packages: $*"
    apt-get update -qq >&2 && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >&2
}

# need_packages WHY PACKAGE...: install them as root with apt at hand, else name them and end.
need_packages() {
    local why=$1
    shift
    if can_install && install_packages "$@"; then return; fi
    say "$why"
    say "On Debian and its kin:  sudo apt-get install $*"
    exit 1
}

find_python() {
    local name
    for name in python3 python3.14 python3.13 python3.12 python3.11; do
        if "$name" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then echo "$name"; return; fi
    done
}

make_environment() { # make_environment EXTRA: "" or "[dev]"
    local python stamp wanted made
    python=$(find_python)
    if [ -z "$python" ]; then
        need_packages "Python 3.11 or newer is needed and was not found." python3 python3-venv
        python=$(find_python)
        [ -n "$python" ] || { say "This system's Python is older than 3.11; install a newer one."; exit 1; }
    fi
    PYTHON=$PWD/.venv/bin/python
    stamp=.venv/installed$1
    wanted=$(cat pyproject.toml constraints.txt | cksum)
    if [ -x "$PYTHON" ]; then  # an environment for the tests has all that the application needs
        for made in "$stamp" ".venv/installed[dev]"; do
            if [ "$(cat "$made" 2>/dev/null)" = "$wanted" ]; then return; fi
        done
    fi
    if ! "$python" -c 'import ensurepip, venv' 2>/dev/null; then
        need_packages "This Python cannot make virtual environments." python3-venv
    fi
    say "Making the environment in .venv (once, one to three minutes)"
    "$python" -m venv .venv || exit 1
    "$PYTHON" -m pip install --quiet --disable-pip-version-check -c constraints.txt -e ".$1" || {
        say "Installing failed. Check the connection to the package index, then run this again."
        exit 1
    }
    echo "$wanted" > "$stamp"
}

qt_packages() { # qt_packages ALWAYS|FOR_A_WINDOW: what Qt needs on Debian and its kin, as the application itself knows it
    "$PYTHON" -c "from crisp_hornet.system.libraries import $1; print(*$1.values())"
}

check_qt() { # check_qt [window]: can Qt start here?
    if ! QT_QPA_PLATFORM=offscreen "$PYTHON" -c 'from PyQt6.QtWidgets import QApplication; QApplication([])' >/dev/null 2>&1; then
        need_packages "Qt cannot start: system libraries are missing." $(qt_packages ALWAYS)
    fi
    if [ "${1:-}" = window ] && ! "$PYTHON" - <<'EOF' >/dev/null 2>&1
import ctypes, pathlib, PyQt6
ctypes.CDLL(str(pathlib.Path(PyQt6.__file__).parent / "Qt6/plugins/platforms/libqxcb.so"))
EOF
    then
        need_packages "Qt cannot open a window: system libraries are missing." $(qt_packages FOR_A_WINDOW)
    fi
}

check_bus() { # check_bus: can a private message bus be started?
    if ! command -v dbus-daemon >/dev/null 2>&1; then
        need_packages "The tests of Bluetooth need dbus-daemon." $BUS_PACKAGES
    fi
}

check_postgres() { # check_postgres: are a server's programs here, for the tests of a shared garage?
    if ! ls /usr/lib/postgresql/*/bin/postgres >/dev/null 2>&1 && ! command -v postgres >/dev/null 2>&1; then
        need_packages "The tests of a shared garage need PostgreSQL." $POSTGRES_PACKAGES
    fi
}

in_memory() { # what tests write goes into memory where there is plenty: on a disk each commit of a database waits
    local free_kb
    free_kb=$(df --output=avail -k /dev/shm 2>/dev/null | tail -1)
    if [ "${free_kb:-0}" -lt 4000000 ]; then return; fi
    TMPDIR=$(mktemp -d /dev/shm/crisp-hornet-XXXXXX)
    chmod 755 "$TMPDIR" # a database server of another user lies in it
    export TMPDIR
    trap 'rm -rf "$TMPDIR"' EXIT
}
