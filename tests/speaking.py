"""A window that speaks another language, walked through desk by desk: what it does not say in it, and what is cut.

A language is chosen when a process starts, so this is one: `python -m tests.speaking LANGUAGE WORKSHOP WIDE HIGH`. The
language 'xx' is English in other letters: what still has Latin ones in it was never handed to the catalogues.
"""

from __future__ import annotations

import gettext
import json
import os
import re
import sys
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Any

#: Letters that look foreign, one for each of ours.
_OTHER = str.maketrans(
    "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ", "абцдефгхийклмнопярстуввхызАБЦДЕФГХИЙКЛМНОПЯРСТУВВХЫЗ"
)
#: Of the bench's drivers, as they stand on its machines.
_VERSIONS = ("4.2", "2.7")
_BRACED = re.compile(r"(\{(?:[^{}]|\{\w*\})*\})|([^{}]+)")


def foreign(text: str) -> str:
    """Return a phrase in other letters, its placeholders as they are."""
    return _BRACED.sub(lambda m: m.group(1) or m.group(2).translate(_OTHER), text)


class Foreign(gettext.NullTranslations):
    """Says every phrase in other letters."""

    def gettext(self, message: str) -> str:
        return foreign(message)

    def ngettext(self, msgid1: str, msgid2: str, n: int) -> str:
        return foreign(msgid1 if n == 1 else msgid2)


def _texts(window: Any) -> Iterator[str]:
    from PySide6.QtWidgets import QComboBox, QListWidget, QTableWidget, QTreeWidget, QTreeWidgetItemIterator, QWidget

    for one in window.findChildren(QWidget):
        for name in ("text", "toolTip", "accessibleName", "accessibleDescription", "placeholderText", "title"):
            asked = getattr(one, name, None)
            try:
                said = asked() if callable(asked) else ""
            except TypeError:
                continue
            if isinstance(said, str) and said:
                yield said
        if isinstance(one, QComboBox):
            yield from (one.itemText(i) for i in range(one.count()))
        if isinstance(one, QListWidget):
            yield from (one.item(i).text() for i in range(one.count()))
        if isinstance(one, QTreeWidget):
            yield from (one.headerItem().text(i) for i in range(one.columnCount()))
            rows = QTreeWidgetItemIterator(one)
            while rows.value() is not None:
                yield from (rows.value().text(i) for i in range(one.columnCount()))
                rows += 1
        if isinstance(one, QTableWidget):
            heads = (one.horizontalHeaderItem(i) for i in range(one.columnCount()))
            yield from (head.text() for head in heads if head is not None)


def _watch_painting(seen: dict[str, str], beyond: set[str]) -> None:
    """Keep every text that is drawn, and which of them have less room than they need."""
    from PySide6.QtCore import QRect, QRectF, Qt
    from PySide6.QtGui import QPainter

    really, wrapped = QPainter.drawText, int(Qt.TextFlag.TextWordWrap)

    def draw(painter: QPainter, *given: Any) -> Any:
        room, text = given[0], given[-1]
        if isinstance(text, str) and text:
            seen.setdefault(text, "drawn")
            whole = not isinstance(room, QRect | QRectF) or int(given[1]) & wrapped
            if not whole and painter.fontMetrics().horizontalAdvance(text) > room.width() + 2:
                beyond.add(text)
        return really(painter, *given)

    QPainter.drawText = draw


def _work(window: Any, checks: tuple[bool, ...]) -> None:
    """Print, press and check charts, some converted twice: desks that tell of runs have some to tell of."""
    from tests.hands import comes, pause

    def press(station: str, name: str) -> None:
        window.show_desk(station)
        button = getattr(window.desks[station], name)
        assert comes(button.isEnabled), f"{button.text()} on {station}"
        button.click()
        pause(300)
        while window.work.busy:
            pause(50)

    window.session.handoff.bring()
    window.session.handoff.confirm("ink_saving", "off")
    for wrong in checks:
        if wrong:
            window.session.handoff.choose_setting("Blend", "Velm natural")
        window.session.open_chart("quick")
        window.show_desk("Print")
        window.desks["Print"].reason.setText("123" if wrong else "")
        press("Print", "print_it")
        press("Press", "press_it")
        press("Check", "scan")
    assert len(window.session.logbook.runs(9)) == len(checks)


def _views(desk: Any) -> Iterator[tuple[str, Callable[[], object]]]:
    """Yield what a desk has to show, one at a time, each with what shows it."""
    station = desk.station
    if station == "Check":
        yield from ((name, partial(desk.show_page, name)) for name in desk.pages)
    elif station == "Logbook":
        tree = desk.tree
        yield "a run", lambda: tree.setCurrentItem(tree.topLevelItem(0))
        yield "two runs", tree.selectAll
    else:
        yield "", lambda: None


def main(spoken: str, workshop: Path, size: tuple[int, int]) -> None:
    """Print as JSON what was found: texts in Latin letters ('xx'), texts that are cut by desk, one number's text."""
    os.environ["FIDELE_LANGUAGE"] = "en" if spoken == "xx" else spoken
    from fidele import language

    if spoken == "xx":
        language._catalogue_now = Foreign()
    from fidele import units
    from fidele.desk.application import open_window
    from fidele.session.places import Places
    from tests.hands import pause
    from tests.test_eyes import cut

    window = open_window(Places.under(workshop))
    window.resize(*size)
    window.show()
    window.take_file(window.session.places.data / "artwork" / "signal-flags.png")
    while window.session.artwork is None or window.work.busy:
        pause(50)
    _work(window, (False, True) if spoken == "xx" else (True,))
    seen: dict[str, str] = {}
    beyond: set[str] = set()
    _watch_painting(seen, beyond)
    clipped: dict[str, list[str]] = {}
    for station in window.desks:
        window.show_desk(station)
        for name, show in _views(window.desks[station]):
            show()
            for _ in range(24):  # what is beside the desk follows a moment later
                pause(60)
                idle = window.work.idle  # figures come from beside the interface
                found = cut(window) if idle else []
                if idle and not found:
                    break
            else:
                clipped |= {f"{station} {name}".strip(): found} if found else {}
            beyond.clear()
            window.grab()
            clipped |= {f"{station} {name}, drawn": sorted(beyond)} if beyond else {}
            for text in _texts(window):
                seen.setdefault(text, station)
    points = [
        t for t in seen if re.search(r"(?<![\d.])\d+\.\d{1,2}(?![\d.])", t) and "ersi" not in t and t not in _VERSIONS
    ]
    latin = sorted(t for t in seen if re.search(r"[A-Za-z]{3,}", t)) if spoken == "xx" else []
    print(json.dumps({"latin": latin, "cut": clipped, "number": units.size(12.5, 1234.5, 1), "points": sorted(points)}))
    sys.stdout.flush()
    os._exit(0)  # what is under way beside the window ends with it


if __name__ == "__main__":
    main(sys.argv[1], Path(sys.argv[2]), (int(sys.argv[3]), int(sys.argv[4])))
