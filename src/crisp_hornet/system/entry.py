"""The entry in the desktop's menu: its file, its icon, and the kinds of files that open by a double click.

Written for one user, taken back whole.

Sources: the Desktop Entry, Icon Theme and Shared MIME-info specifications of freedesktop.org.
"""

from __future__ import annotations

import shutil
import subprocess
from importlib import resources
from pathlib import Path

from crisp_hornet.documents import wire

FILES = {
    "crisp-hornet.desktop": "applications/crisp-hornet.desktop",
    "crisp-hornet.svg": "icons/hicolor/scalable/apps/crisp-hornet.svg",
    "crisp-hornet.xml": "mime/packages/crisp-hornet.xml",
    "crisp-hornet.metainfo.xml": "metainfo/crisp-hornet.metainfo.xml",
}
REFRESH = (
    ("update-desktop-database", "applications"),
    ("update-mime-database", "mime"),
    ("gtk-update-icon-cache", "icons/hicolor"),
)


def install(prefix: Path, command: str) -> list[Path]:
    """Write the files under ``prefix`` (such as ``~/.local/share``); ``command`` is what the entry runs.

    Raises :class:`~crisp_hornet.documents.errors.DocumentError` where one cannot be written."""
    written = []
    for name, place in FILES.items():
        path = prefix / place
        path.parent.mkdir(parents=True, exist_ok=True)
        text = resources.files("crisp_hornet.system").joinpath("files", name).read_text(encoding="utf-8")
        wire.write_text(path, text.replace("@COMMAND@", _quoted(command)))
        written.append(path)
    _refresh(prefix)
    return written


def remove(prefix: Path) -> list[Path]:
    """Take the files away again; what is not there is passed over."""
    gone = []
    for place in FILES.values():
        path = prefix / place
        if path.exists():
            path.unlink()
            gone.append(path)
    _refresh(prefix)
    return gone


def _quoted(command: str) -> str:
    """A command as the specification wants it in Exec: quoted, with its special characters escaped."""
    for special in ("\\", '"', "`", "$"):
        command = command.replace(special, "\\" + special)
    return f'"{command.replace("%", "%%")}"'


def _refresh(prefix: Path) -> None:
    """Tell the desktop, where it has the usual tools; without them it finds out at the next login."""
    for tool, place in REFRESH:
        if shutil.which(tool) and (prefix / place).is_dir():
            more = ["--quiet", "--ignore-theme-index"] if tool.startswith("gtk") else []
            subprocess.run([tool, *more, str(prefix / place)], check=False, capture_output=True, timeout=30)
