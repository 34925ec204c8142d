"""The core's JSON face: one case in, one answer out.

Each operation takes the `in` object of a case and returns its `out`. A named error
becomes `{"error": "ClassName"}`; an operation that this version does not have is
`{"error": "UnknownOperation"}`.
"""

import json
from collections.abc import Callable, Iterable, Iterator, Mapping
from decimal import Decimal
from fractions import Fraction
from typing import Any
from zoneinfo import ZoneInfo

from gannet_core import (
    approvals,
    clocks,
    conditions,
    difference,
    escalation,
    forms,
    impact,
    knowledge,
    measures,
    outlook,
    patterns,
    problems,
    risk,
    routing,
    rules,
    schedule,
    similarity,
    tasks,
    windows,
)
from gannet_core.errors import GannetError
from gannet_core.instants import format_instant, instant_of, parse_instant, seconds_of
from gannet_core.servicetime import ServiceCalendar

Case = Mapping[str, Any]
Operation = Callable[[Case], dict[str, Any]]


def answer(case: Case) -> dict[str, Any]:
    """Answer one case: `{"id", "out"}`; never raises for a bad case."""
    operation = OPERATIONS.get(case.get("op", ""))
    if operation is None:
        return {"id": case.get("id"), "out": {"error": "UnknownOperation"}}
    try:
        out = operation(case["in"])
    except (GannetError, ValueError, TypeError, KeyError, AttributeError) as error:
        out = {"error": type(error).__name__, "message": str(error)}
    return {"id": case.get("id"), "out": out}


def answer_lines(lines: Iterable[str]) -> Iterator[str]:
    """Answer JSON lines with JSON lines; a line that is no JSON is a `ValueError` case."""
    for line in lines:
        if not line.strip():
            continue
        try:
            case = json.loads(line)
        except ValueError as error:
            yield json.dumps({"id": None, "out": {"error": "ValueError", "message": str(error)}})
            continue
        if not isinstance(case, dict):
            yield json.dumps({"id": None, "out": {"error": "ValueError"}})
            continue
        yield json.dumps(answer(case), ensure_ascii=False)


def _calendar(case: Case) -> ServiceCalendar:
    return ServiceCalendar.from_json(case.get("calendar"))


def _at(instant: Any) -> str | None:
    return None if instant is None else format_instant(instant)


def _at_s(seconds: int | None) -> str | None:
    return None if seconds is None else format_instant(instant_of(seconds))


def _elapsed(case: Case) -> dict[str, Any]:
    calendar = _calendar(case)
    return {"seconds": calendar.elapsed(parse_instant(case["from"]), parse_instant(case["to"]))}


def _due(case: Case) -> dict[str, Any]:
    calendar = _calendar(case)
    return {"at": _at(calendar.due(parse_instant(case["from"]), case["seconds"]))}


def _next_opening(case: Case) -> dict[str, Any]:
    return {"at": _at(_calendar(case).next_opening(parse_instant(case["at"])))}


def _next_closing(case: Case) -> dict[str, Any]:
    return {"at": _at(_calendar(case).next_closing(parse_instant(case["at"])))}


def _is_open(case: Case) -> dict[str, Any]:
    return {"open": _calendar(case).is_open(parse_instant(case["at"]))}


def _open_spans(case: Case) -> dict[str, Any]:
    spans = _calendar(case).open_spans(parse_instant(case["from"]), parse_instant(case["to"]))
    return {"spans": [[_at(start), _at(end)] for start, end in spans]}


def _ledger(case: Case) -> dict[str, Any]:
    calendar = _calendar(case)
    events = [(parse_instant(event["at"]), event["kind"]) for event in case["events"]]
    found = clocks.ledger(events, case["target"], calendar, parse_instant(case["now"]))
    return ledger_json(found)


def ledger_json(found: clocks.Ledger) -> dict[str, Any]:
    """A ledger in the open JSON form."""
    return {
        "state": str(found.state),
        "consumed": found.consumed,
        "remaining": found.remaining,
        "due": _at_s(found.due),
        "missed_at": _at_s(found.missed_at),
        "rows": [
            {
                "from": _at_s(row.start),
                "to": _at_s(row.end),
                "kind": str(row.kind),
                "seconds": row.seconds,
            }
            for row in found.rows
        ],
    }


def _target_share(case: Case) -> dict[str, Any]:
    return {"seconds": clocks.target_share(case["seconds"], str(case["share"]))}


def _evaluate(case: Case) -> dict[str, Any]:
    trace = conditions.evaluate(case["tree"], case["record"], case.get("changes"))
    return {"result": trace.result}


def _pick(case: Case) -> dict[str, Any]:
    weights = {name: _exact(weight) for name, weight in (case.get("weights") or {}).items()}
    found = routing.pick(
        case["mode"], [_candidate(data) for data in case["candidates"]], case["needs"], weights
    )
    return {"picked": found.picked, "ruled_out": found.ruled_out}


def _exact(number: Any) -> Fraction:
    """A number as it is written in decimal: 0.1 is one tenth."""
    return Fraction(Decimal(str(number)))


def _candidate(data: Case) -> routing.Candidate:
    return routing.Candidate(
        id=data["id"],
        active=data["active"],
        set_aside=data["set_aside"],
        on_shift=data["on_shift"],
        absent=data["absent"],
        skills=frozenset(data["skills"]),
        cap=data["cap"],
        last_auto=data["last_auto"],
        open=[routing.OpenWork(item["priority"], item["move"]) for item in data["open"]],
    )


def _summary(case: Case) -> dict[str, Any]:
    found = measures.summary(case["values"])
    return {name: getattr(found, name) for name in found.__slots__}


def _bucket(case: Case) -> dict[str, Any]:
    found = measures.bucket(
        parse_instant(case["at"]),
        case["by"],
        ZoneInfo(case["zone"]),
        case.get("year_starts_month", 1),
    )
    return {
        "key": found.key,
        "label_from": found.label,
        "from": _at(found.start),
        "to": _at(found.end),
    }


def _run_rules(case: Case) -> dict[str, Any]:
    found = rules.run(case["rules"], case["events"], case["record"], case.get("changes"))
    return {
        "fired": list(found.fired),
        "sets": {name: found.record[name] for name in found.sets},
        "effects": [{"rule": effect.rule, "do": effect.do} for effect in found.effects],
    }


def _resolve_form(case: Case) -> dict[str, Any]:
    states = forms.resolve(
        case["form"],
        case["answers"],
        case["audience"],
        case.get("stage", "submitting"),
        case.get("template"),
    )
    return {
        "fields": {
            name: {
                "shown": state.is_shown,
                "required": state.is_required,
                "read_only": state.is_read_only,
                "value": state.value,
            }
            for name, state in states.items()
        },
        "missing": forms.missing(states),
    }


def _moments(case: Case) -> dict[str, Any]:
    calendar = _calendar(case)
    events = [(parse_instant(event["at"]), event["kind"]) for event in case["events"]]
    now = parse_instant(case["now"])
    ledger = clocks.ledger(events, case["target"], calendar, now)
    found = escalation.moments(case["steps"], case["clock"], ledger, calendar, seconds_of(now))
    return {"moments": [{"step": one.step["key"], "at": _at_s(one.at)} for one in found]}


def _compare(case: Case) -> dict[str, Any]:
    found = difference.compare(case["before"], case["after"])
    return {"sentences": [sentence for one in found for sentence in one.sentences]}


def _plan(case: Case) -> dict[str, Any]:
    found = tasks.plan(
        [
            tasks.Task(entry["id"], entry.get("estimate_minutes", 0), tuple(entry.get("after", ())))
            for entry in case["tasks"]
        ]
    )
    return {
        "earliest": {name: list(span) for name, span in found.earliest.items()},
        "latest": {name: list(span) for name, span in found.latest.items()},
        "slack": dict(found.slack),
        "critical": list(found.critical),
        "ready": list(found.ready),
    }


def _flow(case: Case) -> dict[str, Any]:
    says = tasks.wrong_flow(case["tasks"])
    return {"wrong": len(says), "says": says}


def _settle(case: Case) -> dict[str, Any]:
    decisions = [
        approvals.Decision(entry["by"], entry["decision"] == "approve", parse_instant(entry["at"]))
        for entry in case["decisions"]
    ]
    found = approvals.settle(case["quorum"], case["approvers"], decisions)
    at = found.decided_at
    return {"state": found.state, "decided_at": format_instant(at) if at else None}


def _reach(case: Case) -> dict[str, Any]:
    return {"reach": dict(impact.reach(_edges(case), case["hit"]))}


def _edges(case: Case) -> list[impact.Edge]:
    return [
        impact.Edge(one["from"], one["to"], one["strength"], one.get("group") or "")
        for one in case["edges"]
    ]


def _tail(case: Case) -> dict[str, Any]:
    return dict(patterns.as_json(case["recent"], case["before"]))


def _helpfulness(case: Case) -> dict[str, Any]:
    helped, not_helped = case["helped"], case["not_helped"]
    low, high = knowledge.interval(helped, not_helped)
    return {
        "helpfulness": round(knowledge.helpfulness(helped, not_helped), 6),
        "low": round(low, 6),
        "high": round(high, 6),
    }


def _rank_articles(case: Case) -> dict[str, Any]:
    now_s = seconds_of(parse_instant(case["now"]))
    numbers = {one["id"]: place for place, one in enumerate(case["hits"])}
    names = list(numbers)
    services = {
        name: place
        for place, name in enumerate(
            dict.fromkeys(one.get("service") for one in case["hits"] if one.get("service"))
        )
    }
    hits = [
        knowledge.Hit(
            numbers[one["id"]],
            one["text"],
            one.get("helped") or 0,
            one.get("not_helped") or 0,
            services.get(one.get("service")),
            seconds_of(parse_instant(one["review"])) if one.get("review") else None,
        )
        for one in case["hits"]
    ]
    own = {services[name] for name in case.get("services") or () if name in services}
    return {
        "ranked": [
            {
                "id": names[one.number],
                "score": round(one.score, 6),
                "parts": [{**part, "factor": round(part["factor"], 6)} for part in one.explain()],
            }
            for one in knowledge.rank(hits, own, now_s)
        ]
    }


def _outlook(case: Case) -> dict[str, Any]:
    return outlook.as_json(case)


def _problem_cost(case: Case) -> dict[str, Any]:
    calendar, now = _calendar(case), parse_instant(case["now"])
    given = case["rates"]
    rates = problems.Rates(
        given["lost_hour_pence"], given["desk_hour_pence"], given.get("people") or {}
    )
    linked = [
        problems.LinkedIncident(
            id=one["id"],
            opened_s=seconds_of(parse_instant(one["opened"])),
            service_s=calendar.elapsed(
                parse_instant(one["opened"]),
                parse_instant(one["resolved"]) if one.get("resolved") else now,
            ),
            urgency=one["urgency"],
            stopped=one.get("stopped") or "",
            minutes=one.get("minutes") or 0,
        )
        for one in case["incidents"]
    ]
    so_far = problems.cost_so_far(linked, rates)
    going_on = problems.cost_of_going_on(linked, rates, seconds_of(now))
    fix = case.get("fix_pence")
    said = case.get("instead") or {}
    figure = problems.Figure(
        so_far.pence, Fraction(said["pence"]) if said else None, said.get("reason", "")
    )
    months = None if fix is None else problems.pays_back_after(Fraction(fix), going_on.pence)
    return {
        "so_far": problems.cost_json(so_far),
        "going_on": problems.cost_json(going_on),
        "counts": float(figure.counts),
        "months": None if months is None else float(months),
    }


def _root_cause(case: Case) -> dict[str, Any]:
    causes = [
        problems.Cause(one["id"], one.get("says", ""), one.get("parent") or "", one["state"])
        for one in case["causes"]
    ]
    return {"path": [cause.id for cause in problems.root_cause(causes)]}


def _risk(case: Case) -> dict[str, Any]:
    track, given = case["track"], case["factors"]
    affected = [
        risk.Affected(one["criticality"], _exact(one["reach"]), one.get("name") or "")
        for one in case["services"]
    ]
    circumstances = risk.Circumstances(
        **{name: given[name] for name in risk.FACTORS if name != "many_items"},
        items=given["ci_count"],
    )
    found = risk.score(
        affected, risk.Track(track["n"], track["failed"], track["with_issues"]), circumstances
    )
    return {
        "consequence": risk.percent(found.consequence),
        "likelihood": risk.percent(found.likelihood),
        "points": found.points,
        "rating": found.rating,
        "parts": [
            {"name": part.name, "percent": float(part.adds * 100), "times": part.times}
            for part in found.likelihood_parts
        ],
    }


def _span(given: Any) -> tuple[int, int]:
    start, end = given
    return seconds_of(parse_instant(start)), seconds_of(parse_instant(end))


def _occurrences(case: Case) -> dict[str, Any]:
    window = windows.read_window(case["window"])
    spans = window.spans(*_span(case["span"]))
    return {"spans": [[_at_s(start), _at_s(end)] for start, end in spans]}


def _cab_slot(case: Case) -> dict[str, Any]:
    given = case["meeting"]
    meeting = schedule.meeting_of(
        given["weekday"],
        given["time"],
        windows.read_zone(given["zone"]),
        given["cutoff_minutes"],
    )
    at = schedule.cab_slot(
        meeting,
        seconds_of(parse_instant(case["submitted_at"])),
        needs_cab=case["class_needs_cab"],
        is_emergency=case["emergency"],
    )
    return {"at": _at_s(at)}


def _occasion(case: Case) -> schedule.Occasion:
    change, cab_at = case["change"], case.get("cab_at")
    return schedule.Occasion(
        id=change["id"],
        implementers=frozenset(change["implementers"]),
        items=frozenset(change["cis"]),
        others=[
            schedule.Planned(
                other["id"],
                *_span((other["start"], other["end"])),
                frozenset(other["implementers"]),
                frozenset(other["cis"]),
            )
            for other in case["others"]
        ],
        web=impact.Web(_edges(case)),
        services=frozenset(case["services"]),
        freezes=[
            schedule.Freeze(
                one["id"],
                tuple(_span(span) for span in one["spans"]),
                None if one["covers"] == "all" else frozenset(one["covers"]),
            )
            for one in case["freezes"]
        ],
        windows={ci: [_span(span) for span in spans] for ci, spans in case["windows"].items()},
        cab_at_s=None if cab_at is None else seconds_of(parse_instant(cab_at)),
        absences=[
            schedule.Absence(one["person"], *_span((one["from"], one["to"])))
            for one in case["absences"]
        ],
    )


def _clashes(case: Case) -> dict[str, Any]:
    change = case["change"]
    start, end = _span((change["start"], change["end"]))
    return {
        "clashes": [
            {"kind": clash.kind, "with": clash.other, "what": list(clash.what)}
            for clash in _occasion(case).clashes(start, end)
        ]
    }


def _slots(case: Case) -> dict[str, Any]:
    start, end = _span((case["from"], case["until"]))
    count = case.get("count")
    found = _occasion(case).slots(start, end, case["minutes"], 5 if count is None else count)
    return {
        "slots": [
            {
                "from": _at_s(slot.start_s),
                "to": _at_s(slot.end_s),
                "after": [{"kind": kind, "with": other} for kind, other in slot.after],
            }
            for slot in found
        ]
    }


def _similar(case: Case) -> dict[str, Any]:
    change = case["change"]
    past = [
        similarity.Finished(
            one.get("template"),
            frozenset(one.get("cis") or ()),
            one.get("text") or "",
            one.get("category"),
            one["id"],
            seconds_of(parse_instant(one["finished_at"])),
        )
        for one in case["past"]
    ]
    wanted = similarity.Likeness(
        change.get("template"),
        frozenset(change.get("cis") or ()),
        change.get("text") or "",
        change.get("category"),
    )
    return {
        "closest": [{"id": one.id, "score": one.score} for one in similarity.rank(wanted, past)]
    }


def _record_of_changes(case: Case) -> dict[str, Any]:
    found = similarity.summary(
        similarity.Outing(
            one["outcome"],
            None if one.get("planned_minutes") is None else _exact(one["planned_minutes"]),
            None if one.get("actual_minutes") is None else _exact(one["actual_minutes"]),
            one.get("incidents") or 0,
        )
        for one in case["past"]
    )
    return {name: getattr(found, name) for name in found.__slots__}


OPERATIONS: Mapping[str, Operation] = {
    "risk.score": _risk,
    "schedule.cab_slot": _cab_slot,
    "schedule.occurrences": _occurrences,
    "schedule.clashes": _clashes,
    "schedule.slots": _slots,
    "similarity.rank": _similar,
    "similarity.summary": _record_of_changes,
    "impact.reach": _reach,
    "patterns.tail": _tail,
    "outlook.run": _outlook,
    "knowledge.helpfulness": _helpfulness,
    "knowledge.rank": _rank_articles,
    "problems.cost": _problem_cost,
    "problems.cause": _root_cause,
    "approvals.stage": _settle,
    "tasks.plan": _plan,
    "tasks.flow": _flow,
    "servicetime.elapsed": _elapsed,
    "servicetime.due": _due,
    "servicetime.next_opening": _next_opening,
    "servicetime.next_closing": _next_closing,
    "servicetime.is_open": _is_open,
    "servicetime.open_spans": _open_spans,
    "clock.ledger": _ledger,
    "clock.target_share": _target_share,
    "conditions.evaluate": _evaluate,
    "routing.pick": _pick,
    "rules.run": _run_rules,
    "forms.resolve": _resolve_form,
    "escalation.moments": _moments,
    "rulebook.compare": _compare,
    "measures.summary": _summary,
    "measures.bucket": _bucket,
}
