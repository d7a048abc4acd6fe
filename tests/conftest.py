"""What the tests share: a demo that is really made once, copies of it to work on, and the profile it made."""

from __future__ import annotations

import ctypes
import fcntl
import gc
import os
import pkgutil
import resource
import shutil
import tempfile
from importlib import import_module
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
# What tests expect is in English, whatever the machine speaks.
os.environ.setdefault("FIDELE_LANGUAGE", "en")
# The bench's printers at half their resolution, in children as well: pages, presses and scans are what they are, in a
# quarter of the time.
os.environ.setdefault("FIDELE_BENCH_PPI", "150")
# Two processes on two cores: a library that takes both for itself keeps the other waiting.
os.environ.setdefault("OMP_NUM_THREADS", "1")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
# Children that decode find what tests let them do (`tests.children`).
os.environ["PYTHONPATH"] = str(Path(__file__).parents[1])

import numpy as np
import pytest
from PySide6.QtCore import QCoreApplication, QEvent

import fidele.desk
import fidele.kernels
from fidele.characterise.own_inks import SIZES as SIZES_OF_INKS
from fidele.characterise.printer import Sizes
from fidele.demo.prepare import PROFILE_TITLE, prepare
from fidele.devices.bench.serving import served_bench
from fidele.icc.profile import Profile
from fidele.session.model import Session
from fidele.session.places import Places
from tests import guard
from tests.events import Watched

if "FIDELE_EVENTS" not in os.environ:  # it takes a third of the time of events, which are measured then
    guard.install()
_LIBC = ctypes.CDLL(None)
#: A test process holds no more than this after any test: 2.6 GB were held when closed windows were kept.
_MOST = 2000 << 20

# No test pulls the plug: waiting for the disk after each small file would be a third of the time.
os.fsync = lambda _file: None  # type: ignore[assignment]

#: The files that take longest come first, so that neither process is left with one of them while the other has nothing
#: to do; and the second begins with one that needs no demo, while the first makes it.
_LONG = (
    "demo",
    "scans",
    "runs",
    "cli",
    "window",
    "causes",
    "artwork_desks",
    "hostile",
    "house",
    "pieces",
    "icc",
    "route",
)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Put the longest files first."""
    order = {f"test_{name}": place for place, name in enumerate(_LONG)}
    items.sort(key=lambda item: order.get(item.path.stem, len(order)))


@pytest.fixture(scope="session", autouse=True)
def lean():
    """What is there by now stays for good, and is not looked through anew after each test.

    Kernels and desks are loaded now, as a window at work has them loaded beside it, whichever test comes first.
    """
    for desk in pkgutil.iter_modules(fidele.desk.__path__, "fidele.desk."):
        import_module(desk.name)
    for kernels in pkgutil.iter_modules(fidele.kernels.__path__, "fidele.kernels."):
        if not kernels.name.endswith("__main__"):
            import_module(kernels.name)
    gc.collect()
    gc.freeze()


@pytest.fixture(autouse=True)
def desks_when_wanted(request, monkeypatch):
    """Make desks when a test opens them, not all in every window; the marker `eager` makes them as users have it."""
    if "qtbot" in request.fixturenames:
        monkeypatch.setattr("fidele.desk.window.Window.eager", request.node.get_closest_marker("eager") is not None)


@pytest.fixture(autouse=True)
def on_one_thread(request):
    """Fail where the state was changed, news heard, or a widget touched on another thread than the interface's.

    Its teardown is the last one: windows that were closed are then really deleted, with the pictures that they hold.
    """
    guard.offences.clear()
    Watched.gross.clear()
    yield
    if "qtbot" in request.fixturenames:
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        gc.collect()
        _LIBC.malloc_trim(0)
    held = int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize()
    assert held < _MOST, f"this test process holds {held >> 20} MiB: something keeps what a test was done with"
    assert not guard.offences, guard.offences[0]
    assert not Watched.gross, f"the window was not to be talked to: {Watched.gross[0]}"


@pytest.fixture(scope="session")
def qapp_cls():
    """The application whose events are timed."""
    return Watched


@pytest.fixture(scope="session")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Places:
    """The demo as `fidele demo` makes it, from bench measurements. Read only: work on `places`.

    Made once, by whichever test process comes first; the others wait and find it. `FIDELE_TEST_DEMO` may name one that
    was made before, by `fidele.demo.prepare.prepare` and this code, for those who run single tests.
    """
    if made := os.environ.get("FIDELE_TEST_DEMO"):
        return Places.under(Path(made))
    base = tmp_path_factory.getbasetemp()
    base = base.parent if "PYTEST_XDIST_WORKER" in os.environ else base
    with (base / "demo.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        return prepare(base / "demo")


@pytest.fixture
def quick_tables(monkeypatch: pytest.MonkeyPatch) -> None:
    """Profiles with coarser tables, for tests of what else there is to one: they take a third of the time to make."""
    monkeypatch.setattr("fidele.characterise.printer.SIZES", Sizes(17, 9, 21, 11, 11))
    monkeypatch.setitem(SIZES_OF_INKS, 4, Sizes(11, 7, 25, 11, 11))
    monkeypatch.setattr("fidele.characterise.inverse._ROUNDS", 3)


@pytest.fixture
def places(demo: Places, tmp_path: Path) -> Places:
    """A copy of the demo to work on."""
    shutil.copytree(demo.data, tmp_path / "workshop")
    return Places.under(tmp_path / "workshop")


@pytest.fixture
def bare(demo: Places, tmp_path: Path) -> Places:
    """A workshop with the bench's machines and not one profile."""
    shutil.copytree(demo.data / "bench", tmp_path / "bare" / "bench")
    return Places.under(tmp_path / "bare")


@pytest.fixture
def session(places: Places) -> Session:
    """A session on a copy of the demo, whose driver is set to the card and whose panel was looked at."""
    made = Session(places)
    made.handoff.bring()
    made.handoff.confirm("ink_saving", "off")
    return made


@pytest.fixture(scope="session")
def profile_path(demo: Places) -> Path:
    """The output profile that the demo made."""
    return demo.profiles / f"{PROFILE_TITLE}.icc"


@pytest.fixture(scope="session")
def printer(profile_path: Path) -> Profile:
    """The demo's output profile, read back from its file."""
    return Profile.open(profile_path)


@pytest.fixture(scope="session")
def photo() -> np.ndarray:
    """A photo-like picture, 16 bit."""
    from fidele.demo.pictures import harbour

    return np.rint(harbour(600, 400) * 65535).astype(np.uint16)


@pytest.fixture
def window(places, qtbot):
    """The window on a copy of the demo."""
    from fidele.desk.application import open_window

    made = open_window(places)
    qtbot.addWidget(made)
    made.show()
    yield made
    made.close()


@pytest.fixture(scope="module")
def served():
    """The bench as queues; programs of this process meet them until the module is through."""
    folder = Path(tempfile.mkdtemp(prefix="fidele-test-", dir="/var/tmp"))
    folder.chmod(0o755)
    before = dict(os.environ)
    with served_bench(folder / "bench") as running:
        os.environ |= running.environment
        yield running
    os.environ.clear()
    os.environ |= before
    shutil.rmtree(folder, ignore_errors=True)
