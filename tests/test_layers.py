"""The repository keeps its own rules: layers, no Qt outside the desk, neutral greys, late imports."""

from __future__ import annotations

import ast
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

SOURCE = Path(__file__).parent.parent / "src" / "fidele"

#: What each package may import of the others (docs/architecture.md). The base modules serve all.
BASE = {"errors", "files", "markup", "tiles", "kernels", "__init__"}
MIDDLE = {"colour", "icc"}
ALLOWED = {
    "colour": set(),
    "icc": {"colour"},
    "tuning": MIDDLE,
    "artwork": MIDDLE | {"tuning"},
    "proof": MIDDLE | {"tuning"},
    "chart": MIDDLE,
    "check": MIDDLE | {"chart"},
    "characterise": MIDDLE,
    "route": MIDDLE,
    "sheet": MIDDLE | {"artwork", "tuning"},
    "papers": MIDDLE | {"route"},
    "bench": MIDDLE,
    "output": MIDDLE | {"bench", "papers", "route", "sheet"},
    "store": MIDDLE | {"papers", "route"},
    "session": MIDDLE
    | {"artwork", "tuning", "proof", "chart", "check", "characterise", "route", "sheet", "papers", "output", "store"},
    "commands": MIDDLE
    | {"desk"}
    | {"artwork", "tuning", "proof", "chart", "check", "route", "papers", "store", "session", "characterise", "sheet"},
    "demo": MIDDLE
    | {"artwork", "tuning", "proof", "chart", "characterise", "route", "sheet", "output", "store", "session"},
}


def imports(path: Path) -> set[str]:
    """Return every module that a file imports, also inside functions."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            assert node.level == 0, f"{path}: relative import"
            found.add(node.module or "")
            found |= {f"{node.module}.{alias.name}" for alias in node.names if node.module == "fidele"}
    return found


@pytest.mark.parametrize("package", sorted(ALLOWED))
def test_layers_know_only_what_lies_below(package):
    for path in (SOURCE / package).rglob("*.py"):
        for name in imports(path):
            if path.name != "svg.py":  # QtSvg serves as a drawing library there, without a window
                assert not name.startswith(("PySide6", "shiboken6", "pytestqt")), f"{path} imports {name}"
            if name.startswith("fidele."):
                other = name.split(".")[1]
                assert other in ALLOWED[package] | BASE | {package, "__version__"}, (
                    f"{path.name} of {package} imports {other}"
                )


def test_the_product_never_reaches_into_the_physics():
    for path in SOURCE.rglob("*.py"):
        inside = path.relative_to(SOURCE).parts[0]
        if inside not in ("bench", "output"):
            assert not [n for n in imports(path) if n.startswith("fidele.bench")], path


def test_every_package_has_its_rule():
    packages = {p.name for p in SOURCE.iterdir() if (p / "__init__.py").exists()}
    assert packages == set(ALLOWED) | {"desk"}


def test_slow_libraries_are_not_imported_before_the_first_paint(demo, tmp_path):
    code = (
        "import sys; from pathlib import Path; from fidele.session.places import Places\n"
        "from fidele.desk.application import application, open_window\n"
        f"window = open_window(Places.under(Path({str(demo.data)!r}))); window.show(); application().processEvents()\n"
        "print(sorted({m.split('.')[0] for m in sys.modules} | {m for m in sys.modules if m.startswith('scipy.')}))\n"
        "window.close()"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    loaded = set(ast.literal_eval(done.stdout.splitlines()[-1]))
    assert "PySide6" in loaded
    for slow in ("colour", "scipy", "numba", "cv2", "pyqtgraph", "matplotlib", "tifffile"):
        assert slow not in loaded, slow


def test_the_interface_is_strictly_neutral(demo, tmp_path, qtbot):
    """Every pixel of an empty window is a grey, in both themes."""
    from fidele.desk.application import open_window
    from fidele.session.places import Places

    window = open_window(Places.under(tmp_path / "empty"))
    qtbot.addWidget(window)
    window.resize(1024, 700)
    window.show()
    for _ in range(2):
        for name in window.desks.keys() - {"Charts"}:  # it shows a chart, which is colour
            window.show_desk(name)
            image = window.grab().toImage().convertToFormat(window.grab().toImage().Format.Format_RGB888)
            pixels = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
            rgb = pixels[:, : image.width() * 3].reshape(image.height(), image.width(), 3).astype(int)
            assert np.ptp(rgb, axis=2).max() == 0, name
            assert len(np.unique(rgb)) > 8  # something is there
        window.toggle_theme()
    window.close()
