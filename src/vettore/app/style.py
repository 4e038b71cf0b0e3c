"""Turn the theme into Qt: fonts, colours, one style sheet."""

from __future__ import annotations

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication

from vettore.look.theme import ARROW_FILE, FONT_FILES, FONT_FOLDER, PAPER, SANS, SERIF, SIZES, TICK_FILE, Theme

POINTS_PER_PIXEL = 0.75

_current: list[Theme] = [PAPER]


def theme() -> Theme:
    """Return the theme in use."""
    return _current[0]


def colour(name: str, alpha: float = 1.0) -> QColor:
    """Return a role's colour."""
    value = QColor(getattr(theme(), name))
    value.setAlphaF(alpha)
    return value


def series_colour(place: int) -> str:
    """Return the colour of the series at a place in the study."""
    return theme().series[place % len(theme().series)]


def sans(pixels: float = SIZES.text, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """Return the sans with tabular figures."""
    font = QFont(SANS)
    font.setPointSizeF(pixels * POINTS_PER_PIXEL)
    font.setWeight(weight)
    font.setFeature(QFont.Tag("tnum"), 1)
    return font


def serif(pixels: float, italic: bool = True) -> QFont:
    """Return the serif for mathematics."""
    font = QFont(SERIF)
    font.setPointSizeF(pixels * POINTS_PER_PIXEL)
    font.setItalic(italic)
    return font


def dress(app: QApplication, chosen: Theme = PAPER) -> None:
    """Load the typefaces and give the whole program its look."""
    _current[0] = chosen
    if not app.property("dressed"):
        app.setProperty("dressed", True)
        app.setStyle("Fusion")
        for name in FONT_FILES:
            QFontDatabase.addApplicationFont(str(FONT_FOLDER / name))
        app.setFont(sans())
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: "panel",
        QPalette.ColorRole.Base: "plot_ground",
        QPalette.ColorRole.AlternateBase: "panel",
        QPalette.ColorRole.Text: "ink",
        QPalette.ColorRole.WindowText: "ink",
        QPalette.ColorRole.ButtonText: "ink",
        QPalette.ColorRole.Button: "panel",
        QPalette.ColorRole.Highlight: "soft",
        QPalette.ColorRole.HighlightedText: "ink",
        QPalette.ColorRole.PlaceholderText: "muted",
        QPalette.ColorRole.Link: "accent",
        QPalette.ColorRole.LinkVisited: "accent",
        QPalette.ColorRole.ToolTipBase: "panel",
        QPalette.ColorRole.ToolTipText: "ink",
    }
    for role, name in roles.items():
        palette.setColor(role, colour(name))
    app.setPalette(palette)
    sheet = style_sheet(chosen)
    if app.styleSheet() == sheet:
        # Putting it on again would paint every widget anew, as it was.
        return
    if app.styleSheet():
        # Taking one sheet off and putting another on is three times as fast as changing it.
        app.setStyleSheet("")
    app.setStyleSheet(sheet)


def style_sheet(t: Theme) -> str:
    """Return the style sheet of a theme."""
    small, text, head, display = (
        f"{size * POINTS_PER_PIXEL}pt" for size in (SIZES.small, SIZES.text, SIZES.head, SIZES.display)
    )
    return f"""
    QMainWindow, #canvas {{ background: {t.canvas}; }}
    #panel, #rail, #topbar, #statusline, #bar {{ background: {t.panel}; }}
    #rail {{ border-right: 1px solid {t.rule}; }}
    #choices {{ background: {t.panel}; border-right: 1px solid {t.rule}; }}
    #findings {{ background: {t.panel}; border-left: 1px solid {t.rule}; }}
    #topbar {{ border-bottom: 1px solid {t.rule}; }}
    #statusline, #bar {{ border-top: 1px solid {t.rule}; }}
    #strip {{ background: {t.panel}; border-bottom: 1px solid {t.rule}; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
    QMenuBar {{ background: transparent; font-size: {text}; }}
    QMenuBar::item {{ padding: 6px 12px; background: transparent; color: {t.ink}; }}
    QMenuBar::item:selected {{ background: {t.soft}; border-radius: 4px; }}
    QMenu {{ background: {t.panel}; border: 1px solid {t.rule}; padding: 4px; }}
    QMenu::item {{ padding: 5px 24px 5px 12px; border-radius: 4px; color: {t.ink}; }}
    QMenu::item:selected {{ background: {t.soft}; }}
    QMenu::item:disabled {{ color: {t.muted}; }}
    QMenu::separator {{ height: 1px; background: {t.rule}; margin: 4px 8px; }}
    QToolTip {{ background: {t.panel}; color: {t.ink}; border: 1px solid {t.rule}; padding: 4px; }}
    QLabel[kind="section"] {{ color: {t.muted}; font-size: {small}; font-weight: 600; letter-spacing: 1px; }}
    QLabel[kind="muted"] {{ color: {t.muted}; font-size: {small}; }}
    QLabel[kind="label"] {{ color: {t.muted}; font-size: {text}; }}
    QLabel[kind="value"] {{ font-weight: 600; font-size: {text}; }}
    QLabel[kind="sentence"] {{ font-size: {text}; }}
    QLabel[kind="head"] {{ font-size: {head}; font-weight: 600; }}
    QLabel[kind="display"] {{ font-size: {display}; font-weight: 600; }}
    QLabel[kind="bad"] {{ color: {t.bad}; font-size: {text}; }}
    QLabel[kind="look"] {{ color: {t.look}; font-size: {text}; }}
    QFrame[kind="rule"] {{ background: {t.rule}; max-height: 1px; min-height: 1px; border: none; }}
    QPushButton {{ font-size: {text}; font-weight: 500; padding: 6px 12px; border-radius: {SIZES.radius}px;
        border: 1px solid {t.accent}; color: {t.accent}; background: transparent; }}
    QPushButton:hover {{ background: {t.soft}; }}
    QPushButton:focus {{ border: 2px solid {t.accent}; padding: 5px 11px; }}
    QPushButton:disabled {{ color: {t.muted}; border-color: {t.rule}; }}
    QPushButton[kind="primary"] {{ background: {t.accent}; color: {t.on_accent}; }}
    QPushButton[kind="primary"]:hover {{ background: {t.ink}; }}
    QPushButton[kind="primary"]:focus {{ border: 2px solid {t.ink}; }}
    QPushButton[kind="primary"]:disabled {{ background: {t.rule}; color: {t.muted}; border-color: {t.rule}; }}
    QPushButton[kind="link"] {{ border: 1px solid transparent; padding: 2px 4px; text-align: left; }}
    QPushButton[kind="link"]:focus {{ border: 1px solid {t.accent}; padding: 2px 4px; }}
    QPushButton[kind="choice"] {{ background: {t.plot_ground}; border: 1px solid {t.rule}; color: {t.ink};
        text-align: left; padding: 7px 10px; }}
    QPushButton[kind="choice"]:checked {{ border: 2px solid {t.accent}; padding: 6px 9px; }}
    QListWidget::item {{ padding: 3px 4px; }}
    QToolButton[kind="card"] {{ background: {t.panel}; border: 1px solid {t.rule}; border-radius: 6px; padding: 8px;
        color: {t.ink}; font-size: {small}; }}
    QToolButton[kind="card"]:hover, QToolButton[kind="card"]:focus {{ border-color: {t.accent}; background: {t.soft}; }}
    QPushButton[kind="choice"]:disabled {{ background: transparent; color: {t.muted}; }}
    QPushButton[kind="choice"]:hover:enabled {{ background: {t.soft}; }}
    QSlider::groove:horizontal {{ background: {t.rule}; height: 4px; border-radius: 2px; }}
    QSlider::handle:horizontal {{ background: {t.panel}; border: 1.5px solid {t.accent}; width: 13px; margin: -6px 0;
        border-radius: 4px; }}
    QPushButton[kind="link"]:disabled {{ color: {t.muted}; }}
    QLineEdit, QComboBox, QSpinBox, QPlainTextEdit {{ font-size: {text}; background: {t.plot_ground}; color: {t.ink};
        border: 1px solid {t.rule}; border-radius: 5px; padding: 4px 7px; selection-background-color: {t.soft};
        selection-color: {t.ink}; }}
    QSpinBox::up-button, QSpinBox::down-button {{ width: 0; }}
    QLineEdit:focus, QComboBox:focus, QSpinBox:focus, QPlainTextEdit:focus {{ border: 1px solid {t.accent}; }}
    QLineEdit[wrong="true"] {{ border: 1px solid {t.bad}; }}
    QComboBox::drop-down {{ border: none; width: 20px; }}
    QComboBox::down-arrow {{ image: url({ARROW_FILE.as_posix()}); width: 10px; height: 10px; }}
    QComboBox QAbstractItemView {{ background: {t.panel}; border: 1px solid {t.rule}; }}
    QCheckBox {{ font-size: {text}; spacing: 8px; }}
    QListWidget#sections {{ background: transparent; border: none; font-size: {text}; }}
    QListWidget#sections::item {{ padding: 0 2px; border-radius: 4px; color: {t.ink}; }}
    QListWidget#sections::item:selected {{ background: {t.soft}; }}
    QListWidget#sections QLineEdit {{ padding: 0 2px; border-radius: 3px; }}
    QCheckBox::indicator, QListWidget#sections::indicator {{ width: 13px; height: 13px; border: 1px solid {t.muted};
        border-radius: 3px; background: {t.plot_ground}; }}
    QCheckBox::indicator:checked, QListWidget#sections::indicator:checked {{ background: {t.accent}; border-color: {t.accent};
        image: url({TICK_FILE.as_posix()}); }}
    QCheckBox::indicator:focus {{ border: 1px solid {t.accent}; }}
    QTableView {{ background: {t.plot_ground}; border: 1px solid {t.rule}; border-radius: {SIZES.radius}px;
        gridline-color: {t.grid}; font-size: {text}; selection-background-color: {t.soft}; selection-color: {t.ink}; }}
    QTableView::item {{ padding: 0 8px; }}
    QTableView:focus {{ border: 1px solid {t.accent}; }}
    QTableCornerButton::section {{ background: {t.panel}; border: none; border-bottom: 1px solid {t.rule}; }}
    QHeaderView {{ background: {t.panel}; border: none; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
    QScrollBar::handle {{ background: {t.rule}; border-radius: 4px; min-height: 28px; min-width: 28px; margin: 1px; }}
    QScrollBar::handle:hover {{ background: {t.muted}; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QSplitter::handle {{ background: transparent; }}
    """
