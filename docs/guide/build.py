"""Build the guide with Sphinx into plain pages: `./run guide` puts them where the program finds and ships them."""

from __future__ import annotations

import json
import re
import subprocess
import sys
import tempfile
from pathlib import Path

HERE = Path(__file__).parent
HELP = HERE.parents[1] / "src" / "fidele" / "data" / "help" / "words.json"
#: Pixels that a picture is shown wide.
WIDE = 560


def build(target: Path) -> None:
    """Write every page into `target`; pages of chapters that are gone are taken away."""
    said = json.loads(HELP.read_text("utf-8"))
    rows = [f"**{word}**\n   {what}\n" for word, what in said.items()]
    (HERE / "words.rst").write_text("\n".join(["Words\n=====\n", *rows]), "utf-8")
    with tempfile.TemporaryDirectory() as made:
        subprocess.run([sys.executable, "-m", "sphinx", "-q", "-W", "-E", "-b", "html", str(HERE), made], check=True)
        pages = {p.name: p.read_text("utf-8") for p in Path(made).glob("*.html") if p.name != "search.html"}
    target.mkdir(parents=True, exist_ok=True)
    for old in target.glob("*.html"):
        if old.name not in pages:
            old.unlink()
    for name, text in pages.items():
        shown = re.sub(r'<img ([^>]*)src="_images/', rf'<img width="{WIDE}" \1src="pictures/', text)
        (target / name).write_text(re.sub(r"\n{3,}", "\n", shown).strip() + "\n", "utf-8")


if __name__ == "__main__":
    build(Path(sys.argv[1]))
