"""What Northmere Ferries keep of reports: one of their own, its delivery, a dashboard."""

from datetime import datetime, timedelta

from gannet.people.models import Person
from gannet.reports import dashboards, delivering, keeping
from gannet.reports.models import SentReport
from gannet_core.instants import seconds_of

_WEEK = timedelta(days=7)


def make_reports(now: datetime) -> None:
    """A report of the manager that goes out each Monday, and the desk’s dashboard."""
    marit = Person.objects.get(name="Marit Osei")
    tomas = Person.objects.get(name="Tomas Wray")
    tills = keeping.keep(
        tomas, now, name="Tills, by place", is_shared=True,
        about="Which ticket offices lose most time with their tills.",
        definition={
            "kind": "incident", "event": "opened", "span": "this quarter",
            "rows": [{"field": "place"}],
            "measures": [
                {"of": "records", "way": "count"},
                {"of": "resolution", "way": "median"},
                {"of": "resolution met", "way": "share"},
            ],
            "where": {"field": "service", "op": "is", "value": "Ticket office tills"},
            "against": "the period before", "draw": "bars",
        },
    )  # fmt: skip
    row = delivering.add(
        tomas, tills.pk, now,
        {
            "rhythm": {"every": "week", "at": "07:00", "zone": tomas.zone, "weekdays": [1]},
            "to": [tomas.email, "tills@kelpmarket.example"], "kinds": ["pdf", "xlsx"],
            "note": "For the Monday round.", "is_on": True,
        },
    )  # fmt: skip
    for weeks in range(1, 6):
        due_s = row.next_s - weeks * int(_WEEK.total_seconds())
        if due_s < seconds_of(now):
            SentReport.objects.create(
                delivery=row, due_s=due_s, at_s=due_s + 4, is_sent=True, to=row.to,
                says=f"count: {38 + 3 * weeks}",
            )  # fmt: skip
    dashboards.keep(
        marit, now, name="Harbour Desk", is_shared=True,
        rows=[
            [_part("sla", "figures"), _part("flow", "drawing"), {"kind": "outlook"}],
            [{"kind": "schedule"}, _part("how-long", "drawing")],
            [_part("arrivals", "drawing"), _part("what-causes-work", "drawing"), _UNASSIGNED],
            [{"kind": "text",
              "text": "Storm season: the ship-to-shore desk is manned until 22:00."}],
        ],
    )  # fmt: skip


_UNASSIGNED = {
    "kind": "list", "text": "Unassigned", "show": "turn",
    "where": {"all": [
        {"field": "open", "op": "is", "value": True},
        {"field": "holder", "op": "is empty"},
    ]},
}  # fmt: skip


def _part(report: str, show: str) -> dict[str, str]:
    return {"kind": "report", "report": report, "show": show}
