"""CxF3 (ISO 17972-1): colours and measurements, read and written."""

from __future__ import annotations

import datetime
from collections import Counter
from pathlib import Path
from xml.etree import ElementTree

import numpy as np

from fidele.apart.ask import outside
from fidele.arrays import Floats
from fidele.chart.measurement import Conditions, Measurement, integrated, reflectance
from fidele.colour.cie import xyz_to_lab
from fidele.errors import FideleError
from fidele.files import read_bytes, write_bytes
from fidele.icc.spaces import srgb
from fidele.icc.transform import to_lab
from fidele.language import tr
from fidele.markup import parsed

_LARGEST = 64 << 20
_SPACE = "http://colorexchangeformat.com/CxF3-core"
_MODES = {"M0": "M0_Incandescent", "M1": "M1_Daylight", "M2": "M2_UVExcluded", "M3": "M3_Polarized"}


@outside
def read_cxf(path: Path) -> list[tuple[str, Floats]]:
    """Return names and L*a*b* (3,), D50, of the colours in a CxF3 file.

    Raises
    ------
    FideleError
        When it is damaged, of another kind, or holds no colour that can be used.
    """
    found = [(name, Lab) for name, _, Lab, *_ in _objects(_root(path), path) if Lab is not None]
    if not found:
        raise FideleError(tr("{path} holds no colour with L*a*b*, XYZ or sRGB values.", path=path))
    return found


@outside
def read_measurement(path: Path) -> Measurement:
    """Return the samples of a CxF3 file, by name, with spectra where all have them.

    Raises
    ------
    FideleError
        When it is damaged, of another kind, holds no sample, or one twice.
    """
    root = _root(path)
    found = [o for o in _objects(root, path) if o[2] is not None]
    if not found:
        raise FideleError(tr("{path} holds no sample with spectra, L*a*b* or XYZ.", path=path))
    ids = tuple(name for name, *_ in found)
    if len(set(ids)) != len(ids):
        twice = Counter(ids).most_common(1)[0][0]
        raise FideleError(tr("{path} holds sample '{twice}' twice.", path=path, twice=twice))
    spectra: Floats | None = None
    wavelengths: Floats | None = None
    rgb: Floats | None = None
    inks: Floats | None = None
    kept = [o[3] for o in found]
    if all(k is not None for k in kept) and len({(len(k[0]), k[1]) for k in kept if k is not None}) == 1:
        spectra = np.array([k[0] for k in kept if k is not None])
        start, step = kept[0][1] if kept[0] is not None else (380.0, 10.0)
        wavelengths = start + step * np.arange(spectra.shape[1], dtype=float)
    if all(o[4] is not None for o in found):
        rgb = np.array([o[4] for o in found])
    if all(o[5] is not None for o in found):
        inks = np.clip(np.array([o[5] for o in found]), 0, 1)
    colours = np.array([o[2] for o in found])
    return Measurement(ids, colours, _conditions(root), rgb, spectra, wavelengths, inks=inks)


def _root(path: Path) -> ElementTree.Element:
    root = parsed(read_bytes(path, _LARGEST), path)
    if _plain(root.tag) != "CxF":
        raise FideleError(tr("{path} is not a CxF file.", path=path))
    return root


_CMYK = ("Cyan", "Magenta", "Yellow", "Black")
#: The first letters of what CxF calls the inks.
_INKS = "CMYB"

_Sample = tuple[str, str, Floats | None, tuple[Floats, tuple[float, float]] | None, Floats | None, Floats | None]


def _objects(root: ElementTree.Element, path: Path) -> list[_Sample]:
    """Return name, id, L*a*b*, spectrum with its start and step, RGB and inks (CMYK) of each object."""
    steps: dict[str, tuple[float, float]] = {}
    for spec in root.iter():
        if _plain(spec.tag) == "ColorSpecification" and "Id" in spec.attrib:
            for inner in spec.iter():
                if _plain(inner.tag) == "WavelengthRange":
                    try:
                        steps[spec.attrib["Id"]] = float(inner.attrib["StartWL"]), float(inner.attrib["Increment"])
                    except (KeyError, ValueError):
                        raise FideleError(
                            tr("{path} has a range of wavelengths that is not understood.", path=path)
                        ) from None
    found: list[_Sample] = []
    for thing in root.iter():
        if _plain(thing.tag) != "Object":
            continue
        name = (thing.attrib.get("Name") or thing.attrib.get("Id") or tr("colour {n}", n=len(found) + 1))[:80]
        spectrum = _spectrum(thing, steps, path)
        Lab = _colour(thing)
        if Lab is None and spectrum is not None:
            nm: Floats = spectrum[1][0] + spectrum[1][1] * np.arange(len(spectrum[0]), dtype=float)
            Lab = xyz_to_lab(integrated(spectrum[0][None], nm, str(path)))[0]
        rgb, inks = _numbers(thing, "ColorRGB", "RGB", 255), _numbers(thing, "ColorCMYK", _INKS, 100)
        found.append((name, thing.attrib.get("Id", ""), Lab, spectrum, rgb, inks))
    return found


def _spectrum(
    thing: ElementTree.Element, steps: dict[str, tuple[float, float]], path: Path
) -> tuple[Floats, tuple[float, float]] | None:
    for child in thing.iter():
        if _plain(child.tag) == "ReflectanceSpectrum" and child.text:
            start, step = steps.get(child.attrib.get("ColorSpecification", ""), (380.0, 10.0))
            try:
                start = float(child.attrib.get("StartWL", start))
                values = np.array([float(v.replace(",", ".")) for v in child.text.split()])
            except ValueError:
                values = np.array([np.nan])
            if not np.isfinite(values).all() or not 4 <= len(values) <= 1000:
                raise FideleError(
                    tr("{path} has a spectrum that is not one: '{value}'.", path=path, value=child.text.strip()[:40])
                )
            return reflectance(values, str(path)), (start, step)
    return None


def _numbers(thing: ElementTree.Element, kind: str, names: str, scale: float) -> Floats | None:
    for child in thing.iter():
        if _plain(child.tag) == kind:
            fields = {_plain(v.tag)[:1].upper(): v.text for v in child}
            try:
                values = np.array([float(str(fields[n]).replace(",", ".")) for n in names])
            except (KeyError, ValueError):
                return None
            return values / scale if np.isfinite(values).all() else None
    return None


def _colour(thing: ElementTree.Element) -> Floats | None:
    Lab = _numbers(thing, "ColorCIELab", "LAB", 1)
    if Lab is not None:
        return Lab
    XYZ = _numbers(thing, "ColorCIEXYZ", "XYZ", 100)
    if XYZ is not None:
        return xyz_to_lab(XYZ)
    rgb = _numbers(thing, "ColorSRGB", "RGB", 255)
    return None if rgb is None else to_lab(rgb.astype(np.float32)[None], srgb())[0].astype(float)


def _conditions(root: ElementTree.Element) -> Conditions:
    said = {_plain(t.tag): (t.text or "").strip() for t in root.iter() if t.text and t.text.strip()}
    mode = next((m for m, words in _MODES.items() if said.get("DeviceIllumination") == words), "")
    observer = "10" if said.get("Observer", "").startswith("10") else "2"
    backing = next((b for b in ("white", "black") if b in said.get("Backing", "").lower()), "")
    return Conditions(mode, said.get("Illuminant", "D50"), observer, backing, said.get("Model", ""))


def write_measurement(path: Path, measured: Measurement, title: str) -> None:
    """Write samples as CxF3, whole or not at all."""
    ElementTree.register_namespace("cc", _SPACE)
    root = ElementTree.Element(_tag("CxF"))
    about = _child(root, "FileInformation")
    _child(about, "Creator", "Fidele")
    _child(about, "CreationDate", datetime.datetime.now().astimezone().isoformat(timespec="seconds"))
    _child(about, "Description", title)
    resources = _child(root, "Resources")
    objects = _child(resources, "ObjectCollection")
    now = datetime.datetime.now().astimezone().isoformat(timespec="seconds")
    for row, sample in enumerate(measured.ids):
        thing = _child(objects, "Object")
        thing.attrib.update({"ObjectType": "Target", "Name": sample, "Id": f"o{row + 1}"})
        _child(thing, "CreationDate", now)
        values = _child(thing, "ColorValues")
        Lab = _child(values, "ColorCIELab", ColorSpecification="CS1")
        for letter, value in zip("LAB", measured.Lab[row], strict=True):
            _child(Lab, letter, f"{value:.6f}")
        if measured.spectra is not None and measured.wavelengths is not None:
            numbers = " ".join(f"{v:.7f}" for v in measured.spectra[row])
            start = f"{measured.wavelengths[0]:g}"
            _child(values, "ReflectanceSpectrum", numbers, StartWL=start, ColorSpecification="CS1")
        if measured.rgb is not None:
            device = _child(_child(thing, "DeviceColorValues"), "ColorRGB", ColorSpecification="CS1")
            for letter, value in zip("RGB", measured.rgb[row] * 255, strict=True):
                _child(device, letter, f"{value:.4f}")
        if measured.inks is not None and measured.inks.shape[1] == len(_CMYK):  # more are told by names of samples
            device = _child(_child(thing, "DeviceColorValues"), "ColorCMYK", ColorSpecification="CS1")
            for ink, value in zip(_CMYK, measured.inks[row] * 100, strict=True):
                _child(device, ink, f"{value:.4f}")
    spec = _child(_child(resources, "ColorSpecificationCollection"), "ColorSpecification", Id="CS1")
    c = measured.conditions
    light = _child(spec, "TristimulusSpec")
    _child(light, "Illuminant", c.illuminant)
    _child(light, "Observer", f"{c.observer}_Degree")
    how = _child(spec, "MeasurementSpec")
    kind = "Spectrum_Reflectance" if measured.spectra is not None else "Colorimetric_Reflectance"
    _child(how, "MeasurementType", kind)
    angle = _child(_child(how, "GeometryChoice"), "SingleAngle")
    _child(angle, "SingleAngleConfiguration", "Annular")
    _child(angle, "IlluminationAngle", "45")
    _child(angle, "MeasurementAngle", "0")
    if measured.wavelengths is not None:
        step = measured.wavelengths[1] - measured.wavelengths[0]
        _child(how, "WavelengthRange", StartWL=f"{measured.wavelengths[0]:g}", Increment=f"{step:g}")
    if c.backing:
        _child(how, "Backing", c.backing)
    if c.instrument or c.mode:
        device = _child(how, "Device")
        if c.instrument:
            _child(device, "Model", c.instrument)
        if c.mode:
            _child(device, "DeviceIllumination", _MODES[c.mode])
    ElementTree.indent(root)
    write_bytes(path, ElementTree.tostring(root, encoding="utf-8", xml_declaration=True))


def _tag(name: str) -> str:
    return f"{{{_SPACE}}}{name}"


def _child(parent: ElementTree.Element, name: str, text: str | None = None, **attributes: str) -> ElementTree.Element:
    made = ElementTree.SubElement(parent, _tag(name), attributes)
    made.text = text
    return made


def _plain(tag: object) -> str:
    return str(tag).rsplit("}", 1)[-1]
