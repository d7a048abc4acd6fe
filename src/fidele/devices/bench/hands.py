"""What a person's hands can do at the bench: switches, panels, tanks and trays, and the windows of other programs.

Fidele itself never looks here: it reads devices back as far as they tell. This is the bench's own front.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from pathlib import Path

from fidele.bench.printer import Machine
from fidele.bench.queue import PrintQueue
from fidele.bench.sketch import NAME, SETTINGS, Sketch
from fidele.bench.supply import TANKS
from fidele.devices.protocol import Control
from fidele.errors import FideleError
from fidele.language import tr
from fidele.values import Value

#: How full a tank can be made.
_LEVELS = (1.0, 0.5, 0.08, 0.0)
#: What share of an ink clogged nozzles let through.
_FLOWS = (1.0, 0.9, 0.7, 0.4, 0.0)


def machine_controls(machine: Machine) -> Iterator[Control]:
    """Return the switch, tanks, trays and panel of a machine, and what an administrator can do with its driver."""
    name, model, supply = machine.model.title, machine.model, machine.store.read()
    yield Control(
        name,
        "power",
        "on" if supply.online else "off",
        ("on", "off"),
        lambda v: machine.store.switch(v == "on"),
        "power",
        tr("power"),
    )
    for way, size in supply.loaded.items():
        sizes = tuple(str(v) for v in model.every(model.size_control))
        yield Control(
            name,
            f"lies in the {way}" if way else "lies in it",
            size,
            sizes,
            partial(machine.store.lay_in, way=way),
            f"tray:{way}",
            tr("lies in the {way}", way=way) if way else tr("lies in it"),
        )
    for tank in TANKS:
        left = supply.inks[tank]
        levels = tuple(sorted({*_LEVELS, round(left, 2)}, reverse=True))
        yield Control(
            name,
            f"{tank} ink",
            round(left, 2),
            levels,
            partial(machine.store.fill, tank),
            f"tank:{tank}",
            tr("{ink} ink", ink=tr(tank)),
        )
        through = round(supply.flow[tank], 2)
        shares = tuple(sorted({*_FLOWS, through}, reverse=True))
        yield Control(
            name,
            f"{tank} nozzles let through",
            through,
            shares,
            partial(machine.store.clog, tank),
            f"nozzles:{tank}",
            tr("{ink} nozzles let through", ink=tr(tank)),
        )
    try:
        values = machine.driver.values()
    except FideleError:  # its file is damaged: nothing can be turned until the driver is reset
        return
    for setting in model.settings.values():
        if setting.at_printer:
            offered = machine.driver.offered(setting.name)
            yield Control(
                name,
                setting.place,
                values[setting.name],
                offered,
                partial(machine.driver.at_the_panel, setting.name),
                "panel",
            )
    held = machine.driver.held
    yield Control(
        name,
        "driver locked by the administrator",
        "yes" if held else "no",
        ("no", "yes"),
        lambda v: machine.driver.hold(*(n for n, s in model.settings.items() if v == "yes" and not s.at_printer)),
        "driver",
        tr("driver locked by the administrator"),
    )
    version = machine.driver.version
    newer = f"{version}, newer"
    yield Control(
        name, "driver version", version, (version, newer), lambda v: _update(machine, v), "driver", tr("driver version")
    )


def _update(machine: Machine, version: Value) -> None:
    if version != machine.driver.version:
        machine.driver.update(str(version))


def program_controls(sketch: Sketch, profiles: Path) -> Iterator[Control]:
    """Return the settings of the bench's drawing program, as they stand in its own window.

    Parameters
    ----------
    profiles
        The folder whose profiles it offers to convert through.
    """
    values = sketch.values()
    for setting in SETTINGS.values():
        offered = setting.offers(values)
        if offered is None:
            there = [str(path) for path in sorted(profiles.glob("*.icc"))]
            offered = tuple(dict.fromkeys(["", *there, str(values[setting.name])]))
        yield Control(NAME, setting.place, values[setting.name], offered, partial(sketch.set, setting.name))


def queue_controls(queues: list[PrintQueue]) -> Iterator[Control]:
    """Return what the system's administrator can demand of all printers."""

    def insist(value: Value) -> None:
        for queue in queues:
            queue.insist(value == "yes")

    must = any(q.insists for q in queues)
    yield Control(
        "Print system",
        "every printer must have a profile",
        "yes" if must else "no",
        ("no", "yes"),
        insist,
        said=tr("every printer must have a profile"),
    )
