"""Colours, type and style sheet. Drafted, controller and measured colours belong to the three truths alone."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources

from PyQt6.QtGui import QColor, QFont, QFontDatabase
from PyQt6.QtWidgets import QApplication, QWidget

from crisp_hornet.bench.scale import px

FAMILY = "Barlow Semi Condensed"
QUIET_PX, TEXT_PX, BUTTON_PX, VALUE_PX, CONSEQUENCE_PX = 13, 15, 17, 20, 26
FINE_PX = 5


@dataclass(frozen=True)
class Theme:
    """One set of colours. ``ink`` fills buttons, ``on_ink`` is text on it; ``rule`` only parts things, ``mark`` is a mark that means
    something but not much."""

    name: str
    ground: str
    sheet: str
    rule: str
    mark: str
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

    def readable_on(self, background: QColor) -> QColor:
        """Of text and its opposite the colour that reads better on a background."""
        return max((self.color("text"), self.color("on_ink")), key=lambda one: contrast(one, background))

    def tint(self, token: str, share: float) -> QColor:
        """A colour of the scale from the ground to a token, for a share of 0 to 1. Between its halves the scale jumps over those tints on
        which no text can be read."""
        alpha = 0.05 + 0.6 * share if share < 0.5 else 0.75 + 0.4 * (share - 0.5)
        return _mixed(getattr(self, token), self.ground, round(alpha, 2))


@lru_cache(maxsize=256)
def _mixed(top: str, below: str, alpha: float) -> QColor:
    pairs = zip(_parts(QColor(top)), _parts(QColor(below)), strict=True)
    return QColor.fromRgbF(*(alpha * a + (1 - alpha) * b for a, b in pairs))


def _parts(color: QColor) -> tuple[float, float, float]:
    return color.redF(), color.greenF(), color.blueF()


def luminance(color: QColor) -> float:
    """Relative luminance (WCAG 2.2, https://www.w3.org/TR/WCAG22/#dfn-relative-luminance)."""
    red, green, blue = (part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in _parts(color))
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def contrast(color: QColor, other: QColor) -> float:
    """Contrast ratio of two opaque colours, 1 to 21 (WCAG 2.2)."""
    light, dark = sorted((luminance(color), luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


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
    mark="#857E6E",
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
    mark="#7E8787",
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
HIGH_CONTRAST = Theme(
    name="high contrast",
    ground="#FFFFFF",
    sheet="#FFFFFF",
    rule="#4A4A4A",
    mark="#2E2E2E",
    text="#000000",
    quiet="#1C1C1C",
    ink="#000000",
    on_ink="#FFFFFF",
    drafted="#8F2B00",
    controller="#0A1A5C",
    measured="#006A60",
    stop="#6B0028",
    warn="#5E3900",
    note="#1C1C1C",
    settled="#0B4A1E",
)
THEMES = {theme.name: theme for theme in (LIGHT, DARK, HIGH_CONTRAST)}
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


def real_font(pixels: int = TEXT_PX, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """The same where nothing scales the painter."""
    return font(px(pixels), weight)


def apply(window: QWidget, theme: Theme) -> None:
    """Dress a window, and what opens over it. The sheet is the window's, not the application's: that one would dress each part of a page
    again with every widget that it is put into, which took longer than all else of opening a page."""
    QApplication.setFont(real_font())
    window.setStyleSheet(style_sheet(theme))


def style_sheet(t: Theme) -> str:
    """Qt style sheet of a theme at the scale of now; what is finer than 5 px (frames, corners) stays. Focus is a 2 px ink frame."""
    return re.sub(
        r"\b(\d+)px", lambda found: f"{px(int(found[1])) if int(found[1]) >= FINE_PX else found[1]}px", _plain_sheet(t)
    )


def _plain_sheet(t: Theme) -> str:
    return f"""
    * {{ font-family: "{FAMILY}"; font-size: {TEXT_PX}px; color: {t.text}; }}
    QWidget#ground, QMainWindow, QDialog {{ background: {t.ground}; }}
    QLabel {{ background: transparent; }}
    QLabel[role="quiet"] {{ font-size: {QUIET_PX}px; color: {t.quiet}; }}
    QLabel[role="caps"] {{ font-size: {QUIET_PX}px; color: {t.quiet}; font-weight: 600; letter-spacing: 1px; }}
    QLabel[role="strong"] {{ font-size: {TEXT_PX}px; font-weight: 600; }}
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
    QComboBox:disabled {{ color: {t.quiet}; border-color: {t.rule}; background: transparent; }}
    QComboBox::drop-down {{ border: none; width: 24px; }}
    QComboBox QAbstractItemView {{ background: {t.sheet}; color: {t.text}; selection-background-color: {t.ink};
        selection-color: {t.on_ink}; border: 1px solid {t.quiet}; }}
    QPushButton[role="small"] {{ padding: 1px 9px; min-height: 24px; font-size: {TEXT_PX}px; }}
    QPushButton[role="place"] {{ background: transparent; border: 2px solid transparent; padding: 0 3px; min-height: 24px;
        font-size: {TEXT_PX}px; font-weight: 600; text-align: left; }}
    QPushButton[role="place"]:hover {{ border-color: {t.quiet}; }}
    QPushButton[role="place"]:focus {{ border-color: {t.text}; }}
    QPushButton[role="several"] {{ padding: 1px 24px; min-height: 24px; font-size: {TEXT_PX}px; }}
    QPushButton::menu-indicator {{ image: none; width: 0; }}
    QMenu {{ background: {t.sheet}; border: 1px solid {t.quiet}; padding: 4px 0; }}
    QMenu::item {{ padding: 6px 16px; }}
    QMenu::item:selected {{ background: {t.ink}; color: {t.on_ink}; }}
    QPushButton[role="fold"] {{ background: transparent; border: 2px solid transparent; padding: 0 6px 0 20px; min-height: 26px;
        font-size: {QUIET_PX}px; font-weight: 600; letter-spacing: 1px; color: {t.quiet}; text-align: left; }}
    QPushButton[role="fold"]:hover {{ border-color: {t.rule}; }}
    QPushButton[role="fold"]:focus {{ border-color: {t.text}; }}
    QTextEdit {{ background: {t.sheet}; border: 1px solid {t.quiet}; border-radius: 3px; padding: 3px 6px; }}
    QTextEdit:focus {{ border: 2px solid {t.text}; }}
    QTabBar {{ background: transparent; }}
    QTabBar::tab {{ background: transparent; border: 2px solid transparent; border-bottom: 3px solid transparent; padding: 1px 1px;
        min-height: 24px; font-size: {TEXT_PX}px; font-weight: 500; color: {t.quiet}; }}
    QTabBar::tab:hover {{ border-bottom: 3px solid {t.rule}; }}
    QTabBar::tab:selected {{ border-bottom: 3px solid {t.text}; color: {t.text}; font-weight: 600; }}
    QLineEdit {{ background: {t.sheet}; border: 1px solid {t.quiet}; border-radius: 3px; padding: 3px 8px; min-height: 26px;
                selection-background-color: {t.ink}; selection-color: {t.on_ink}; }}
    QListWidget {{ background: {t.sheet}; border: 1px solid {t.rule}; border-radius: 3px; outline: none; }}
    QListWidget::item {{ padding: 7px 10px; border-bottom: 1px solid {t.rule}; }}
    QListWidget::item:selected {{ background: {t.ink}; color: {t.on_ink}; }}
    QSplitter::handle {{ background: {t.rule}; margin: 1px 40%; height: 4px; }}
    QProgressBar {{ background: {t.sheet}; border: 1px solid {t.rule}; border-radius: 3px; height: 14px; text-align: center; }}
    QProgressBar::chunk {{ background: {t.ink}; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; }}
    QScrollBar::handle:vertical {{ background: {t.mark}; border-radius: 4px; min-height: 30px; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; }}
    QScrollBar::handle:horizontal {{ background: {t.mark}; border-radius: 4px; min-width: 30px; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: none; height: 0; }}
    QToolTip {{ background: {t.ink}; color: {t.on_ink}; border: none; padding: 4px 8px; font-size: {QUIET_PX}px; }}
    """
