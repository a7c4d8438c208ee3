"""Colours, type and style sheet. Drafted, controller and measured colours belong to the three truths alone."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from importlib import resources

from PyQt6.QtGui import QColor, QFont, QFontDatabase
from PyQt6.QtWidgets import QApplication

FAMILY = "Barlow Semi Condensed"
QUIET_PX, TEXT_PX, BUTTON_PX, VALUE_PX, CONSEQUENCE_PX = 13, 15, 17, 20, 26


@dataclass(frozen=True)
class Theme:
    """One set of colours. ``ink`` fills buttons, ``on_ink`` is text on it."""

    name: str
    ground: str
    sheet: str
    rule: str
    text: str
    quiet: str
    ink: str
    on_ink: str
    drafted: str
    controller: str
    measured: str
    stop: str
    warn: str
    note: str
    settled: str

    def color(self, token: str, alpha: float = 1.0) -> QColor:
        """A token as a colour. Not to be changed: everyone gets the same one."""
        return _color(getattr(self, token), alpha)


@lru_cache(maxsize=256)
def _color(name: str, alpha: float) -> QColor:
    color = QColor(name)
    color.setAlphaF(alpha)
    return color


LIGHT = Theme(
    name="light",
    ground="#F3F0E8",
    sheet="#FFFDF8",
    rule="#CFC8B8",
    text="#1E2326",
    quiet="#565C57",
    ink="#1E2326",
    on_ink="#FFFDF8",
    drafted="#C2410C",
    controller="#27496D",
    measured="#0F766E",
    stop="#7A1230",
    warn="#8A5A00",
    note="#565C57",
    settled="#2F6B3E",
)
DARK = Theme(
    name="dark",
    ground="#191C1E",
    sheet="#23282A",
    rule="#474E4E",
    text="#EEE9DD",
    quiet="#B4B7AD",
    ink="#EEE9DD",
    on_ink="#191C1E",
    drafted="#FF8C4B",
    controller="#8DB9EE",
    measured="#45CDBB",
    stop="#F28BA9",
    warn="#E7B550",
    note="#B4B7AD",
    settled="#7FCB92",
)
TRUTHS = ("drafted", "controller", "measured")
SEVERITIES = ("stop", "warn", "note", "settled")


def load_fonts() -> None:
    """Make the shipped typeface known to Qt."""
    fonts = resources.files("crisp_hornet.bench") / "fonts"
    for file in sorted(fonts.iterdir(), key=lambda one: one.name):
        if file.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(file.read_bytes())


@lru_cache(maxsize=64)
def font(pixels: int = TEXT_PX, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """The typeface at a size, with figures that stand in columns. Not to be changed: everyone gets the same one."""
    made = QFont(FAMILY)
    made.setPixelSize(pixels)
    made.setWeight(weight)
    if hasattr(made, "setFeature"):
        made.setFeature(QFont.Tag("tnum"), 1)
    return made


def apply(app: QApplication, theme: Theme) -> None:
    """Dress the whole application."""
    app.setFont(font())
    app.setStyleSheet(style_sheet(theme))


def style_sheet(t: Theme) -> str:
    """Qt style sheet of a theme. Focus is always a 2 px ink frame."""
    return f"""
    * {{ font-family: "{FAMILY}"; font-size: {TEXT_PX}px; color: {t.text}; }}
    QWidget#ground, QMainWindow, QDialog {{ background: {t.ground}; }}
    QLabel {{ background: transparent; }}
    QLabel[role="quiet"] {{ font-size: {QUIET_PX}px; color: {t.quiet}; }}
    QLabel[role="caps"] {{ font-size: {QUIET_PX}px; color: {t.quiet}; font-weight: 600; letter-spacing: 1px; }}
    QLabel[role="title"] {{ font-size: {VALUE_PX}px; font-weight: 600; }}
    QLabel[role="big"] {{ font-size: {CONSEQUENCE_PX}px; font-weight: 600; }}
    QLabel[role="value"] {{ font-size: {VALUE_PX}px; font-weight: 600; }}
    QFrame#sheet {{ background: {t.sheet}; border: 1px solid {t.rule}; border-radius: 3px; }}
    QFrame#line {{ background: {t.rule}; border: none; }}
    QPushButton {{ background: {t.sheet}; border: 1px solid {t.quiet}; border-radius: 3px; padding: 5px 14px; min-height: 28px;
                  font-size: {BUTTON_PX}px; font-weight: 500; }}
    QPushButton:hover {{ border-color: {t.text}; }}
    QPushButton:disabled {{ color: {t.quiet}; border-color: {t.rule}; background: transparent; }}
    QPushButton:focus, QLineEdit:focus, QListWidget:focus {{ border: 2px solid {t.text}; }}
    QPushButton[role="act"] {{ background: {t.ink}; color: {t.on_ink}; border: 2px solid {t.ink}; font-weight: 600; min-height: 40px; }}
    QPushButton[role="act"]:disabled {{ background: transparent; color: {t.quiet}; border: 2px solid {t.rule}; }}
    QPushButton[role="act"]:focus {{ border: 2px solid {t.ground}; outline: 2px solid {t.ink}; }}
    QPushButton[role="large"] {{ min-height: 36px; }}
    QComboBox {{ background: {t.sheet}; color: {t.text}; border: 1px solid {t.quiet}; border-radius: 3px; padding: 4px 8px; }}
    QComboBox:focus {{ border: 2px solid {t.text}; }}
    QComboBox::drop-down {{ border: none; width: 22px; }}
    QComboBox QAbstractItemView {{ background: {t.sheet}; color: {t.text}; selection-background-color: {t.ink};
        selection-color: {t.on_ink}; border: 1px solid {t.quiet}; }}
    QPushButton[role="link"] {{ background: transparent; border: none; border-bottom: 2px solid {t.text}; border-radius: 0; padding: 0 3px;
                               min-height: 26px; font-size: {TEXT_PX}px; font-weight: 600; text-align: left; }}
    QPushButton[role="link"]:hover {{ border-bottom: 3px solid {t.text}; }}
    QPushButton[role="link"]:focus {{ border: 2px solid {t.text}; }}
    QPushButton[role="link"]:disabled {{ color: {t.quiet}; border-bottom: 2px solid {t.rule}; }}
    QTextEdit {{ background: {t.sheet}; border: 1px solid {t.quiet}; border-radius: 3px; padding: 3px 6px; }}
    QTextEdit:focus {{ border: 2px solid {t.text}; }}
    QPushButton[role="page"] {{ background: transparent; border: none; border-bottom: 3px solid transparent; border-radius: 0;
        padding: 0 2px; min-height: 28px; font-size: {TEXT_PX}px; font-weight: 500; color: {t.quiet}; }}
    QPushButton[role="page"]:hover {{ border-bottom: 3px solid {t.rule}; }}
    QPushButton[role="page"]:checked {{ border-bottom: 3px solid {t.text}; color: {t.text}; font-weight: 600; }}
    QPushButton[role="page"]:focus {{ border: 2px solid {t.text}; }}
    QLineEdit {{ background: {t.sheet}; border: 1px solid {t.quiet}; border-radius: 3px; padding: 3px 8px; min-height: 26px;
                selection-background-color: {t.ink}; selection-color: {t.on_ink}; }}
    QListWidget {{ background: {t.sheet}; border: 1px solid {t.rule}; border-radius: 3px; outline: none; }}
    QListWidget::item {{ padding: 7px 10px; border-bottom: 1px solid {t.rule}; }}
    QListWidget::item:selected {{ background: {t.ink}; color: {t.on_ink}; }}
    QProgressBar {{ background: {t.sheet}; border: 1px solid {t.rule}; border-radius: 3px; height: 14px; text-align: center; }}
    QProgressBar::chunk {{ background: {t.ink}; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; }}
    QScrollBar::handle:vertical {{ background: {t.rule}; border-radius: 4px; min-height: 30px; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: none; height: 0; }}
    QToolTip {{ background: {t.ink}; color: {t.on_ink}; border: none; padding: 4px 8px; font-size: {QUIET_PX}px; }}
    """
