"""System libraries that Qt needs, looked for before Qt is loaded: it would end the program in its own words."""

from __future__ import annotations

import ctypes
from collections.abc import Callable, Mapping
from dataclasses import dataclass

ALWAYS = {
    "libglib-2.0.so.0": "libglib2.0-0",
    "libGL.so.1": "libgl1",
    "libEGL.so.1": "libegl1",
    "libfontconfig.so.1": "libfontconfig1",
    "libfreetype.so.6": "libfreetype6",
    "libxkbcommon.so.0": "libxkbcommon0",
    "libdbus-1.so.3": "libdbus-1-3",
}
FOR_A_WINDOW = {
    "libxcb-cursor.so.0": "libxcb-cursor0",
    "libxcb-icccm.so.4": "libxcb-icccm4",
    "libxcb-image.so.0": "libxcb-image0",
    "libxcb-keysyms.so.1": "libxcb-keysyms1",
    "libxcb-randr.so.0": "libxcb-randr0",
    "libxcb-render-util.so.0": "libxcb-render-util0",
    "libxcb-shape.so.0": "libxcb-shape0",
    "libxcb-xkb.so.1": "libxcb-xkb1",
    "libxkbcommon-x11.so.0": "libxkbcommon-x11-0",
}
UNSEEN = ("offscreen", "minimal", "vnc", "linuxfb", "eglfs")  # platforms that need no display


@dataclass(frozen=True)
class Missing:
    """A library that is not there, and the package of Debian and its kin that has it."""

    library: str
    package: str


def _load(name: str) -> object:
    return ctypes.CDLL(name)


def missing(window: bool, load: Callable[[str], object] = _load) -> list[Missing]:
    """The libraries that cannot be loaded; with those of a real ``window``."""
    found = []
    for name, package in (ALWAYS | (FOR_A_WINDOW if window else {})).items():
        try:
            load(name)
        except OSError:
            found.append(Missing(name, package))
    return found


def why_not(environment: Mapping[str, str], load: Callable[[str], object] = _load) -> str:
    """Why the window cannot open here, and what to do; "" where it can."""
    platform = environment.get("QT_QPA_PLATFORM", "").split(":")[0]
    unseen = platform in UNSEEN
    wayland = platform.startswith("wayland") or (not platform and bool(environment.get("WAYLAND_DISPLAY")))
    if not unseen and not wayland and not environment.get("DISPLAY"):
        return "There is no display. Log in to a desktop, or use the commands without a window: crisp-hornet --help."
    lacking = missing(not unseen and not wayland, load)
    if not lacking:
        return ""
    libraries, packages = ", ".join(one.library for one in lacking), " ".join(one.package for one in lacking)
    return f"Libraries of the system are missing: {libraries}. On Debian and its kin: sudo apt install {packages}"
