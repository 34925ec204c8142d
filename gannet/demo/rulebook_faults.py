"""What Northmere Ferries asks about a fault: two or three questions for each service."""

from typing import Any

# category -> key and name of its form, and its own questions: key, label, type, choices or hint
_OWN: dict[str, tuple[str, str, list[tuple[str, str, str, Any]]]] = {
    "Hardware › Gate reader": ("gate-fault", "A gate or reader", [
        ("gate_does", "What does it do?", "choice", ["Rejects every ticket", "Rejects some tickets", "Does not open", "Stands open", "Shows nothing"]),
        ("gate_light", "Which light is on?", "choice", ["Green", "Red", "Blinking", "None"]),
    ]),
    "Software › Planning": ("planner-fault", "The berth planner", [
        ("planner_berth", "Which berth?", "text", "As it stands on the plan: Saltgate 2."),
        ("planner_wrong", "What is wrong?", "choice", ["It does not open", "It is slow", "It shows something old", "A change is not kept"]),
    ]),
    "Software › Booking": ("booking-fault", "Web booking", [
        ("booking_step", "At which step?", "choice", ["Choosing a sailing", "Passengers and cars", "Payment", "Confirmation"]),
        ("booking_number", "A booking number, if there is one", "text", ""),
        ("booking_device", "On what?", "choice", ["Website", "App", "Both"]),
    ]),
    "Software › Freight": ("freight-fault", "The freight manifest", [
        ("freight_sailing", "Which sailing is it for?", "text", "Ship and time: Merrow 14:30."),
        ("freight_does", "What cannot be done?", "choice", ["Add a lorry", "Change a lorry", "Print", "Send to the ship"]),
    ]),
    "Software › Roster": ("roster-fault", "The crew roster", [
        ("roster_what", "Whose roster is it about?", "choice", ["Mine", "A whole crew", "Everybody's"]),
        ("roster_from", "From which day on?", "date", ""),
    ]),
    "Network › Signal loss": ("link-fault", "The ship-to-shore link", [
        ("link_ship", "Which ship?", "choice", ["Merrow", "Skerry Light", "Tern", "Halcyon"]),
        ("link_lost", "What is lost?", "choice", ["Data and voice", "Data only", "Voice only", "It comes and goes"]),
        ("link_where", "Where was the ship?", "text", "Off Farrow Sound, in port…"),
    ]),
    "Network › Wi-Fi": ("wifi-fault", "Wi-Fi", [
        ("wifi_where", "In which part?", "choice", ["Lounge", "Deck", "Cabins", "Terminal hall", "Office"]),
        ("wifi_does", "What happens?", "choice", ["It is not listed", "It cannot be joined", "It is slow", "It drops"]),
    ]),
    "Software › Pay": ("pay-question", "Pay and expenses", [
        ("pay_about", "What is it about?", "choice", ["Payslip", "Expenses", "Tax papers", "Hours"]),
        ("pay_month", "Of which month?", "text", "October 2026"),
    ]),
    "Software › Mail": ("mail-fault", "Mail and calendar", [
        ("mail_does", "What does not work?", "choice", ["Sending", "Receiving", "Calendar", "A shared mailbox", "Signing in"]),
        ("mail_where", "Where?", "choice", ["On the computer", "On the phone", "In the browser", "Everywhere"]),
    ]),
    "Hardware › Laptop": ("laptop-fault", "A laptop or its screen", [
        ("laptop_part", "Which part?", "choice", ["It does not start", "Screen", "Keyboard or mouse", "Battery or charger", "Dock", "A program"]),
        ("laptop_since", "Since when?", "choice", ["Just now", "Today", "Some days", "Always"]),
    ]),
    "Hardware › Phone": ("phone-fault", "A terminal phone", [
        ("phone_number", "Its number", "text", "The four digits on its label."),
        ("phone_does", "What happens?", "choice", ["No tone", "Does not ring", "Rings and drops", "Cannot be understood"]),
    ]),
    "Hardware › Screen": ("sign-fault", "A sign or screen", [
        ("sign_where", "Which screen?", "text", "Hall, quay 2, lounge…"),
        ("sign_shows", "What does it show?", "choice", ["Nothing", "Something old", "Something wrong", "It flickers"]),
    ]),
    "Security › Suspicious message": ("security-report", "Something suspicious", [
        ("security_what", "What is it?", "choice", ["A message", "A call", "A lost device", "Somebody used my account"]),
        ("security_opened", "Was a link or file opened?", "yes/no", ""),
    ]),
}  # fmt: skip

FIELDS: list[dict[str, Any]] = [
    {
        "key": key, "label": label, "type": kind,
        **({"choices": more} if kind == "choice" else {"hint": more} if more else {}),
    }
    for _, _, own in _OWN.values()
    for key, label, kind, more in own
]  # fmt: skip


def _audiences(requester: bool, required: bool = False) -> dict[str, Any]:
    return {
        "requester": {"shown": requester, "required": requester and required},
        "agent": {"shown": True, "required": required},
    }


def _form(category: str, key: str, name: str, own: list[str]) -> dict[str, Any]:
    fields = [{"field": "title", **_audiences(True, required=True)}]
    fields += [
        {"field": field, **_audiences(True)}
        for field in ("text", "service", "place", *own, "who", "work")
    ]
    fields += [
        {"field": field, **_audiences(False)} for field in ("sailing", "passengers", "cause")
    ]
    shown = [{"do": "show", "field": field} for field in ("sailing", "passengers")]
    return {
        "key": key,
        "name": name,
        "kind": "incident",
        "categories": [category],
        "fields": fields,
        "effects": [{"if": {"field": "who", "op": "is", "value": "ships"}, "then": shown}],
    }


FORMS: list[dict[str, Any]] = [
    _form(category, key, name, [one[0] for one in own])
    for category, (key, name, own) in _OWN.items()
]
