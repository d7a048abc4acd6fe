"""A check as a document for a customer: self-contained HTML, and all its numbers as CGATS or CSV."""

from __future__ import annotations

import base64
import csv
import html
import io

from fidele.check.statistics import Comparison
from fidele.dataclass import dataclass
from fidele.language import LANGUAGE, tr

_STYLE = (
    "body{font-family:Inter,sans-serif;color:#222;margin:32px auto;max-width:900px;line-height:1.45}"
    "h1{font-size:22px;margin:0 0 4px}h2{font-size:15px;margin:22px 0 6px}"
    "table{border-collapse:collapse;font-size:12px}td,th{padding:3px 12px 3px 0;text-align:left}"
    "th{font-weight:600}p{font-size:13px;margin:4px 0}img{max-width:100%}.verdict{font-size:17px;font-weight:600}"
)


@dataclass(frozen=True)
class Picture:
    """A picture of a report: what it shows, and a PNG."""

    caption: str
    png: bytes


@dataclass(frozen=True)
class Report:
    """What a report says: verdict, cause and next step, figures by family, conditions, pictures, cautions."""

    title: str
    verdict: str
    sentences: tuple[str, ...]
    comparison: Comparison
    conditions: tuple[tuple[str, str], ...]
    pictures: tuple[Picture, ...] = ()
    cautions: tuple[str, ...] = ()

    def document(self) -> str:
        """Return it as self-contained HTML: pictures are in it, nothing is fetched."""
        e = html.escape
        c = self.comparison
        parts = [
            f'<!doctype html><html lang="{LANGUAGE}"><head><meta charset="utf-8"><title>{e(self.title)}</title>'
            f"<style>{_STYLE}</style></head><body>",
            f"<h1>{e(self.title)}</h1>",
            f'<p class="verdict">{e(self.verdict)}</p>',
            *(f"<p>{e(s)}</p>" for s in self.sentences),
            *(f"<p>{e(tr('Note: {words}', words=s))}</p>" for s in self.cautions),
            f"<h2>{tr('Figures')}</h2>",
            self._figures(),
            f"<h2>{tr('Conditions')}</h2><table>",
            *(f"<tr><th>{e(name)}</th><td>{e(value)}</td></tr>" for name, value in self.conditions),
            "</table>",
        ]
        for picture in self.pictures:
            data = base64.b64encode(picture.png).decode()
            said = e(picture.caption)
            parts.append(f'<h2>{said}</h2><p><img alt="{said}" src="data:image/png;base64,{data}"></p>')
        titles = (tr("patch"), "ΔE00", tr("wanted L*a*b*"), tr("measured L*a*b*"), "ΔL*", "ΔC*", "ΔH*")
        worst = []
        for i in c.worst(10):
            w, m, s = c.wanted[i], c.measured[i], c.signed[i]
            both = (tr("{v:.1f} {v2:.1f} {v3:.1f}", v=v[0], v2=v[1], v3=v[2]) for v in (w, m))
            worst.append([c.ids[i], tr("{de00:.2f}", de00=c.de00[i]), *both, *(tr("{v:+.1f}", v=v) for v in s)])
        parts += [f"<h2>{tr('The ten patches that are furthest off')}</h2>", _table(titles, worst)]
        return "".join([*parts, "</body></html>"])

    def _figures(self) -> str:
        c, t = self.comparison, self.comparison.tolerance
        rows = [[tr("all, ΔE00"), str(len(c.ids)), *(tr("{v:.2f}", v=v) for v in (c.mean, c.median, c.p95, c.largest))]]
        rows += [
            [tr(name), str(s.count), *(tr("{v:.2f}", v=v) for v in (s.mean, s.median, s.p95, s.largest))]
            for name, s in c.by_family().items()
        ]
        limits = tr(
            "Tolerance “{name}”: mean {mean:g}, 95th percentile {p95:g}. {source}",
            name=tr(t.name),
            mean=t.mean,
            p95=t.p95,
            source=t.source,
        )
        titles = ("", tr("patches"), tr("mean"), tr("median"), "95 %", tr("largest"))
        return f"{_table(titles, rows)}<p>{html.escape(limits)}</p>"


def _table(titles: tuple[str, ...], rows: list[list[str]]) -> str:
    head = "".join(f"<th>{html.escape(t)}</th>" for t in titles)
    body = "".join("<tr>" + "".join(f"<td>{html.escape(cell)}</td>" for cell in row) + "</tr>" for row in rows)
    return f"<table><tr>{head}</tr>{body}</table>"


def verdict_words(c: Comparison) -> str:
    """Return verdict and figures in a line."""
    return tr("{said}: mean ΔE00 {mean:.1f}, 95 % within {p95:.1f}", said=c.said.capitalize(), mean=c.mean, p95=c.p95)


def as_csv(comparison: Comparison) -> str:
    """Return all numbers of a comparison, comma separated, one line for each patch."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(
        [
            "patch",
            tr("wanted L*"),
            tr("wanted a*"),
            tr("wanted b*"),
            "L*",
            "a*",
            "b*",
            "dE00",
            "dE76",
            "dL*",
            "dC*",
            "dH*",
        ]
    )
    c = comparison
    for i, sample in enumerate(c.ids):
        numbers = [*c.wanted[i], *c.measured[i], c.de00[i], c.de76[i], *c.signed[i]]
        writer.writerow([sample, *(tr("{v:.4f}", v=v) for v in numbers)])
    return out.getvalue()
