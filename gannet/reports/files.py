"""A report as a file: numbers as numbers, nothing that a sheet would run."""

import csv
import io
import re
from collections.abc import Iterator, Sequence
from dataclasses import replace
from html import escape
from typing import Any

import xlsxwriter

from gannet.reports.building import Builder
from gannet.tickets.sheets import harmless
from gannet.web.pdf import as_pdf
from gannet_core import reports as core
from gannet_core.reports import Measure, Row, Table

KINDS = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "pdf": "application/pdf",
}
_DAY, _WIDE = 86_400, 6
# A figure as a file has it: its unit is named once, in the heading.
_MOST_ON_A_PAGE = 30
_FACTORS = {"seconds": (1 / _DAY, "days"), "pence": (0.01, ""), "percent": (0.01, "")}


def heads_of(found: Builder, table: Table) -> list[str]:
    """The headings of a report's file: the rows' dimensions, then each figure of each column."""
    rows = [_called(found, one) for one in found.found.rows] or [""]
    groups = [*(one.label for one in table.columns), *([""] if table.columns else [None])]
    heads = list(rows)
    for group in groups:
        for measure in found.found.measures:
            label = said(measure)
            heads.append(label if group is None else f"{group or 'all'}: {label}")
    return heads


def said(measure: Measure) -> str:
    """A figure's heading with its unit."""
    unit = {"seconds": "days", "pence": "money", "minutes": "minutes", "percent": "%"}
    named = unit.get(measure.unit, "")
    return f"{measure.label}, {named}" if named else measure.label


def _called(found: Builder, one: core.Dimension) -> str:
    label = found.fields[one.field].label
    return f"{one.by} {label}" if one.by else label


def lines_of(found: Builder, table: Table) -> Iterator[tuple[list[str], list[float | None], bool]]:
    """The lines of a report's file: names, figures, and whether it is a total."""
    width = max(len(found.found.rows), 1)
    for row in table.rows:
        names = [one.label for one in row.path]
        yield [*names, *([""] * (width - len(names)))], _figures(found, table, row), False
    whole = Row((), table.totals, table.total)
    yield ["all", *([""] * (width - 1))], _figures(found, table, whole), True


def _figures(found: Builder, table: Table, row: Row) -> list[float | None]:
    measures = found.found.measures
    cells = [*row.cells, row.total] if table.columns else [row.total]
    return [_plain(value, one) for cell in cells for value, one in zip(cell, measures, strict=True)]


def _plain(value: float | None, measure: Measure) -> float | None:
    if value is None:
        return None
    factor = _FACTORS.get(measure.unit, (1, ""))[0]
    return value if factor == 1 else value * factor


def as_csv(found: Builder, title: str) -> bytes:
    """RFC 4180 with a byte order mark; shares as parts of one, ages in days."""
    table, target = found.table(), io.StringIO(newline="")
    writer = csv.writer(target, lineterminator="\r\n")
    writer.writerow([harmless(head) for head in heads_of(found, table)])
    for names, values, _ in lines_of(found, table):
        figures = ["" if value is None else repr(round(value, 6)) for value in values]
        writer.writerow([*(harmless(name) for name in names), *figures])
    return b"\xef\xbb\xbf" + target.getvalue().encode()


def as_xlsx(found: Builder, title: str) -> bytes:
    """A workbook: the table, and beside it what it counts."""
    table, target = found.table(), io.BytesIO()
    options = {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    book = xlsxwriter.Workbook(target, options)
    sheet = book.add_worksheet("Report")
    bold = book.add_format({"bold": True})
    formats = {
        unit: (book.add_format({"num_format": form}), book.add_format({"num_format": form,
                                                                      "bold": True}))
        for unit, form in _FORMS.items()
    }  # fmt: skip
    heads = heads_of(found, table)
    for column, head in enumerate(heads):
        sheet.write_string(0, column, head, bold)
    width = max(len(found.found.rows), 1)
    measures = found.found.measures
    last = 0
    for last, (names, values, is_total) in enumerate(lines_of(found, table), 1):
        for column, name in enumerate(names):
            sheet.write_string(last, column, name, bold if is_total else None)
        for index, value in enumerate(values):
            if value is not None:
                unit = measures[index % len(measures)].unit
                form = formats.get(unit, formats["number"])[is_total]
                sheet.write_number(last, width + index, value, form)
    sheet.freeze_panes(1, width)
    sheet.set_column(0, width - 1, 28)
    sheet.set_column(width, len(heads) - 1, 14)
    about = book.add_worksheet("What it counts")
    about.set_column(0, 0, 22)
    about.set_column(1, 1, 90)
    for line, (name, words) in enumerate(about_of(found, title)):
        about.write_string(line, 0, name, bold)
        about.write_string(line, 1, words)
    book.close()
    return target.getvalue()


_FORMS = {
    "number": "#,##0.##",
    "seconds": "0.0",
    "pence": "#,##0.00",
    "percent": "0.0%",
    "minutes": "#,##0",
}


def about_of(found: Builder, title: str) -> list[tuple[str, str]]:
    """What a report counts, in words: its span, its zone, what each figure means."""
    span, zone = found.span, found.zone
    local = [at.astimezone(zone).strftime("%-d %B %Y, %H:%M") for at in (span.start, span.end)]
    when = "" if found.found.event in core.SPANLESS else f" from {local[0]} to {local[1]}"
    rows = [
        ("Report", title),
        ("Counts", f"{found.found.kind or 'record'}s {found.found.event}{when}, {zone}"),
        ("Made", found.now.astimezone(zone).strftime("%-d %B %Y, %H:%M")),
        ("Seen by", found.person.name),
    ]
    return rows + [
        (one.label, one.value.about or "Of the records of each group.")
        for one in found.found.measures
    ]


def as_pages(found: Builder, title: str, note: str = "") -> bytes:
    """A PDF: what it counts, the first figure drawn, the table."""
    table = found.table()
    heads = heads_of(found, table)
    width = max(len(found.found.rows), 1)
    if len(heads) > _MOST_ON_A_PAGE:  # the totals of the rows; the sheet has the rest
        table = replace(table, columns=(), totals=(), rows=tuple(
            replace(row, cells=()) for row in table.rows
        ))  # fmt: skip
        heads = heads_of(found, table)
    body = [f"<h1>{escape(title)}</h1>"]
    if note:
        body.append(f"<p>{escape(note)}</p>")
    counts = dict(about_of(found, title))
    body.append(f"<p class='quiet'>{escape(counts['Counts'])}. Made {escape(counts['Made'])}.</p>")
    body.append(_bars(found, table))
    body.append("<table><thead><tr>")
    body += [
        f"<th{' class=number' if index >= width else ''}>{escape(head)}</th>"
        for index, head in enumerate(heads)
    ]
    body.append("</tr></thead><tbody>")
    measures = found.found.measures
    for names, values, is_total in lines_of(found, table):
        tag = "th" if is_total else "td"
        body.append("<tr>" + "".join(f"<{tag}>{escape(name)}</{tag}>" for name in names))
        body += [
            f"<{tag} class='number'>{_shown(value, measures[index % len(measures)])}</{tag}>"
            for index, value in enumerate(values)
        ]
        body.append("</tr>")
    body.append("</tbody></table>")
    body += [
        f"<p class='quiet'><b>{escape(one.label)}</b>: {escape(one.value.about)}</p>"
        for one in measures
        if one.value.about
    ]
    return as_pdf(title, "".join(body), foot=title, is_wide=len(heads) > _WIDE)


def _shown(value: float | None, measure: Measure) -> str:
    if value is None:
        return ""
    if measure.unit == "percent":
        return f"{value * 100:.1f} %"
    if measure.unit in ("seconds",):
        return f"{value:.1f}"
    if measure.unit == "pence":
        return f"{value:,.2f}"
    return f"{value:,.0f}" if value == int(value) else f"{value:,.1f}"


def plain_words(value: float, measure: Measure) -> str:
    """A figure with its unit, as a sentence says it."""
    shown = _shown(_plain(value, measure), measure)
    unit = {"seconds": " days", "minutes": " minutes"}.get(measure.unit, "")
    return f"{shown}{unit}"


def file_name(title: str) -> str:
    """A title as the name of a file, without its ending."""
    return re.sub(r"[^a-z0-9]+", "-", title.lower()).strip("-")[:80] or "report"


def _bars(found: Builder, table: Table) -> str:
    """The first figure of each outer row as a bar, named and said in figures too."""
    measure = found.found.measures[0]
    rows: Sequence[Any] = [
        (row.path[0].label, _plain(row.total[0], measure) or 0.0)
        for row in table.rows
        if len(row.path) == 1
    ][:40]
    most = max((value for _, value in rows), default=0)
    if len(rows) < 2 or most <= 0:
        return ""
    high = 16 * len(rows) + 4
    parts = [f"<svg viewBox='0 0 520 {high}' width='520' height='{high}'>"]
    for index, (label, value) in enumerate(rows):
        y = 16 * index + 2
        wide = max(0.0, value) / most * 300
        parts.append(
            f"<text x='150' y='{y + 9}' font-size='8.5' text-anchor='end'>{escape(label[:34])}"
            f"</text><rect x='156' y='{y}' width='{wide:.1f}' height='11' fill='#1f5c70'/>"
            f"<text x='{160 + wide:.1f}' y='{y + 9}' font-size='8.5'>"
            f"{escape(_shown(value, measure))}</text>"
        )
    return f"<h2>{escape(said(measure))}</h2>{''.join(parts)}</svg>"
