"""Build the guide with Sphinx into plain pages: `./run guide` puts them where the program finds and ships them.

English lies in the folder itself, every other language in a folder of its own; pictures are the same for all.
"""

from __future__ import annotations

import gettext
import json
import re
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

HERE = Path(__file__).parent
DATA = HERE.parents[1] / "src" / "fidele" / "data"
#: Pixels that a picture is shown wide.
WIDE = 560


def languages() -> list[str]:
    """Return the languages that the guide is translated into."""
    return sorted(p.name for p in (HERE / "locale").iterdir())


def _words(language: str) -> str:
    said = gettext.translation("fidele", DATA / "locale", [language], fallback=True).gettext
    title = said("Words")
    explained = json.loads((DATA / "help" / "words.json").read_text("utf-8"))
    rows = [f"**{said(word)}**\n   {said(what)}\n" for word, what in explained.items()]
    return "\n".join([f"{title}\n{'=' * len(title)}\n", *rows])


def _pages(language: str) -> dict[str, str]:
    """Return every page in a language, by its name. What Sphinx compiles on the way stays out of the sources."""
    with tempfile.TemporaryDirectory() as made:
        sources, out = Path(made) / "sources", Path(made) / "out"
        shutil.copytree(HERE, sources)
        (sources / "words.rst").write_text(_words(language), "utf-8")
        asked = ["-q", "-W", "-E", "-b", "html", "-D", f"language={language}", str(sources), str(out)]
        subprocess.run([sys.executable, "-m", "sphinx", *asked], check=True)
        return {p.name: p.read_text("utf-8") for p in out.glob("*.html") if p.name != "search.html"}


def build(target: Path) -> None:
    """Write every page into `target`; pages of chapters that are gone are taken away."""
    (HERE / "words.rst").write_text(_words("en"), "utf-8")
    for language in ("en", *languages()):
        folder, up = (target, "") if language == "en" else (target / language, "../")
        pages = _pages(language)
        folder.mkdir(parents=True, exist_ok=True)
        for old in folder.glob("*.html"):
            if old.name not in pages:
                old.unlink()
        for name, text in pages.items():
            shown = re.sub(r'<img ([^>]*)src="_images/', rf'<img width="{WIDE}" \1src="{up}pictures/', text)
            (folder / name).write_text(re.sub(r"\n{3,}", "\n", shown).strip() + "\n", "utf-8")


if __name__ == "__main__":
    build(Path(sys.argv[1]))
