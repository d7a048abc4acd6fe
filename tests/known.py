"""Profiles that tests read: the free ones that Debian ships, and those that the bench's makers offer."""

from __future__ import annotations

import subprocess
import tarfile
import zipfile
from pathlib import Path

from fidele.icc.profile import Profile
from fidele.session.places import Places
from fidele.store.parcel import open_parcel


def debian_profiles() -> list[Path]:
    """Every profile of the three Debian packages that ship free ones."""
    found = []
    for package in ("colord-data", "icc-profiles-free", "libgs-common"):
        listed = subprocess.run(["dpkg", "-L", package], capture_output=True, text=True, check=True).stdout
        found += [Path(n) for n in listed.splitlines() if n.lower().endswith((".icc", ".icm"))]
    return found


PROFILES = debian_profiles()


def unpacked(archive: Path, into: Path) -> None:
    """Unpack a tar of ours; Debian 12's Python has no filters for it yet."""
    with tarfile.open(archive) as tar:
        if hasattr(tarfile, "data_filter"):
            tar.extractall(into, filter="data")
        else:
            tar.extractall(into)


def maker_profiles(demo: Places) -> dict[str, Profile]:
    """Profiles of the bench's makers, by file name, as they lie in the demo's downloads; damaged ones left out."""
    found = {}
    for path in sorted(p for p in (demo.data / "downloads").rglob("*") if p.is_file()):
        for item in open_parcel(path).profiles:
            if len(item.data) > 100_000:
                found[item.name] = Profile.parse(item.data, item.name)
    return found


def bundle(path: Path, files: dict[str, bytes]) -> Path:
    """Write a zip."""
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as made:
        for name, data in files.items():
            made.writestr(name, data)
    return path
