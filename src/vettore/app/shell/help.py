"""The guide in a window of its own: contents and a search on the left, the page on the right."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QEvent, QSize, Qt, QUrl
from PySide6.QtGui import (
    QDesktopServices,
    QImage,
    QKeySequence,
    QShortcut,
    QTextBlock,
    QTextBlockFormat,
    QTextCharFormat,
    QTextCursor,
    QTextDocument,
)
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QListWidget, QListWidgetItem, QTextBrowser, QVBoxLayout, QWidget

from vettore.app.shell.guide import INDEX, anchor_of, find, guide_folder, places
from vettore.app.style import colour
from vettore.app.widgets.parts import button

MARGIN, CONTENTS_WIDTH, LINE_HEIGHT = 20, 250, 125
LINK = Qt.ItemDataRole.UserRole
# What stands for a picture in the text of a block.
PICTURE = "\ufffc"
# Room that is kept for a scroll bar beside a picture.
SCROLL_BAR = 28
NOTHING = "Nothing in the guide holds these words."


class GuideText(QTextBrowser):
    """A page of the guide; pictures are as wide as the page at most, links have the colour of the theme."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Guide")
        self.setOpenLinks(False)
        self.document().setDocumentMargin(MARGIN)

    def show_markdown(self, page: Path) -> None:
        """Show a page from its top."""
        self.document().setBaseUrl(QUrl.fromLocalFile(str(page)))
        self.document().setMarkdown(
            page.read_text(encoding="utf-8"), QTextDocument.MarkdownFeature.MarkdownDialectGitHub
        )
        self._dress()
        self.moveCursor(QTextCursor.MoveOperation.Start)
        self.verticalScrollBar().setValue(0)

    def show_heading(self, anchor: str) -> bool:
        """Bring a heading to the top; whether there is such a heading."""
        block = self.document().begin()
        while block.isValid():
            if block.blockFormat().headingLevel() and anchor_of(block.text()) == anchor:
                self.setTextCursor(QTextCursor(block))
                top = self.document().documentLayout().blockBoundingRect(block).top()
                self.verticalScrollBar().setValue(int(top) - MARGIN // 2)
                return True
            block = block.next()
        return False

    def loadResource(self, kind: int, url: QUrl) -> object:
        """Return a picture no wider than the page."""
        result = super().loadResource(kind, url)
        if kind != QTextDocument.ResourceType.ImageResource.value:
            return result
        path = self.document().baseUrl().resolved(url).toLocalFile()
        image = QImage(path)
        room = max(self.viewport().width() - 2 * MARGIN - SCROLL_BAR, 200)
        if image.width() > room:
            ratio = self.devicePixelRatioF()
            image = image.scaledToWidth(int(room * ratio), Qt.TransformationMode.SmoothTransformation)
            image.setDevicePixelRatio(ratio)
        return image

    def _dress(self) -> None:
        """Give lines room, and links the colour of the theme."""
        block = self.document().begin()
        while block.isValid():
            # A line with a picture is as high as the picture.
            if PICTURE not in block.text():
                lines = block.blockFormat()
                lines.setLineHeight(LINE_HEIGHT, QTextBlockFormat.LineHeightTypes.ProportionalHeight.value)
                QTextCursor(block).setBlockFormat(lines)
            for start, length, link in _links_of(block):
                cursor = QTextCursor(self.document())
                cursor.setPosition(start)
                cursor.setPosition(start + length, QTextCursor.MoveMode.KeepAnchor)
                shown = QTextCharFormat()
                shown.setForeground(colour("accent"))
                shown.setAnchorHref(link)
                cursor.mergeCharFormat(shown)
            block = block.next()


def _links_of(block: QTextBlock) -> list[tuple[int, int, str]]:
    out = []
    place = block.begin()
    while not place.atEnd():
        fragment = place.fragment()
        if fragment.charFormat().isAnchor():
            out.append((fragment.position(), fragment.length(), fragment.charFormat().anchorHref()))
        place += 1
    return out


class HelpWindow(QWidget):
    """Contents, search, the page, and back."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle("Vettore guide")
        self.resize(940, 740)
        self._trail: list[str] = []
        self._at = INDEX
        self.back = button("‹ Back", self.go_back, "", "To the page before (Alt+Left)")
        self.search = QLineEdit()
        self.search.setAccessibleName("Search the guide")
        self.search.setPlaceholderText("search the guide …")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda _text: self._fill())
        self.search.returnPressed.connect(self._open_first)
        self.list = QListWidget()
        self.list.setAccessibleName("Contents of the guide")
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.itemClicked.connect(self._open)
        self.list.itemActivated.connect(self._open)
        self.text = GuideText()
        self.text.anchorClicked.connect(self._follow)
        left = QVBoxLayout()
        for part in (self.search, self.list):
            part.setFixedWidth(CONTENTS_WIDTH)
            left.addWidget(part)
        right = QVBoxLayout()
        right.addWidget(self.back, alignment=Qt.AlignmentFlag.AlignLeft)
        right.addWidget(self.text)
        box = QHBoxLayout(self)
        box.addLayout(left)
        box.addLayout(right, 1)
        for keys, action in (
            ("Alt+Left", self.go_back),
            ("Ctrl+F", self.search.setFocus),
            ("Ctrl++", self.text.zoomIn),
            ("Ctrl+-", self.text.zoomOut),
            ("Escape", self._leave),
        ):
            QShortcut(QKeySequence(keys), self, action)
        self._fill()

    def sizeHint(self) -> QSize:
        return QSize(940, 740)

    def changeEvent(self, event: QEvent) -> None:
        """Take the colours of another theme."""
        super().changeEvent(event)
        if event.type() == QEvent.Type.PaletteChange and self.isVisible():
            self._show(self._at)

    def show_page(self, link: str) -> None:
        """Show a page, or a heading of it as "fit.md#read-values", and come to the front."""
        if self.isVisible() and link != self._at:
            self._trail.append(self._at)
        self.show()
        self.raise_()
        self.activateWindow()
        self._show(link)

    def go_back(self) -> None:
        """Show what was shown before."""
        if self._trail:
            self._show(self._trail.pop())

    def _show(self, link: str) -> None:
        page, _, anchor = link.partition("#")
        self._at = link
        self.text.show_markdown(guide_folder() / page)
        if anchor:
            self.text.show_heading(anchor)
        self.back.setEnabled(bool(self._trail))
        for row in range(self.list.count()):
            if self.list.item(row).data(LINK) == link:
                self.list.setCurrentRow(row)

    def _follow(self, url: QUrl) -> None:
        """Go where a link leads: within the guide here, elsewhere to what the desktop opens it with."""
        page = url.path() or self._at.partition("#")[0]
        if url.scheme() in ("", "file") and (guide_folder() / page).parent == guide_folder() and page.endswith(".md"):
            self.show_page(f"{page}#{url.fragment()}" if url.fragment() else page)
        else:
            QDesktopServices.openUrl(self.text.document().baseUrl().resolved(url))

    def _fill(self) -> None:
        """List the contents, or what holds the words that were typed."""
        self.list.clear()
        words = self.search.text().strip()
        if not words:
            for place in places():
                # The catalogue of models would fill the list; its page leads to them.
                if place.level <= 2 and not (place.level == 2 and place.page == "models.md"):
                    self._add(place.heading if place.level == 1 else f"    {place.heading}", place.link)
            return
        hits = find(words)
        for hit in hits:
            self._add(f"{hit.place.heading}\n{hit.around}", hit.place.link)
        if not hits:
            self._add(NOTHING, "")

    def _add(self, words: str, link: str) -> None:
        item = QListWidgetItem(words)
        item.setData(LINK, link)
        self.list.addItem(item)

    def _open(self, item: QListWidgetItem) -> None:
        link = item.data(LINK)
        if link:
            self.show_page(link)
            for word in self.search.text().split()[:1]:
                self.text.find(word)

    def _open_first(self) -> None:
        if self.list.count():
            self._open(self.list.item(0))

    def _leave(self) -> None:
        if self.search.text():
            self.search.clear()
        else:
            self.close()
