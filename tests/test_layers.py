"""The repository keeps its own rules: layers, no Qt outside the desk, neutral greys, late imports."""

from __future__ import annotations

import ast
import subprocess
import sys
from pathlib import Path

import numpy as np

from tests.hands import go

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "fidele"


def test_the_contracts_of_the_layers_hold():
    """Layers, no circle anywhere, Qt in the desk alone, the bench behind its adapter: see pyproject.toml."""
    lint = [Path(sys.executable).parent / "lint-imports"]
    done = subprocess.run(lint, cwd=ROOT, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout


def test_a_package_that_no_contract_knows_is_told():
    import tomllib

    contracts = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["importlinter"]["contracts"]
    layered = {name.strip() for layer in contracts[0]["layers"] for name in layer.split("|")}
    packages = {f"fidele.{p.name}" for p in SOURCE.iterdir() if (p / "__init__.py").exists()}
    assert packages <= layered


def test_every_painter_ends_with_its_event():
    """A painter that something still holds, an error that was caught on the way, say, ends the program in Qt."""
    held = []
    for path in sorted((SOURCE / "desk").glob("*.py")):
        for event in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(event, ast.FunctionDef) and event.name == "paintEvent":
                begun = [n for n in ast.walk(event) if isinstance(n, ast.Call) and ast.unparse(n.func) == "QPainter"]
                ended = [item.context_expr for n in ast.walk(event) if isinstance(n, ast.With) for item in n.items]
                held += [f"{path.name}:{call.lineno}" for call in begun if call not in ended]
    assert held == []


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
    from PySide6.QtGui import QImage

    from fidele.desk.application import open_window
    from fidele.session.places import Places

    window = open_window(Places.under(tmp_path / "empty"))
    qtbot.addWidget(window)
    window.resize(1024, 700)
    window.show()
    for _ in range(2):
        for name in window.desks.keys() - {"Charts"}:  # it shows a chart, which is colour
            go(window, name)
            image = window.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
            pixels = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
            red, green, blue = (pixels[:, c : image.width() * 3 : 3] for c in range(3))
            assert (red == green).all(), name
            assert (green == blue).all(), name
            assert np.count_nonzero(np.bincount(red.ravel(), minlength=256)) > 8  # something is there
        window.toggle_theme()
    window.close()
