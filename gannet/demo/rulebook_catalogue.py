"""What the people of Northmere Ferries can ask for: items, bundles, forms, routes, tasks."""

from typing import Any

HOUR = 3600
OFFICE_DAY = 10 * HOUR
TOMAS = "tomas.wray@northmere.example"
MARIT = "marit.osei@northmere.example"
ANNEKE = "anneke.dray@northmere.example"
ROSALIND = "rosalind.hathersage@northmere.example"

WORKPLACE, PHONES = "Computers and accessories", "Phones and radios"
ACCESS, SOFTWARE = "Accounts and access", "Software"
NETWORK, PREMISES = "Network and Wi-Fi", "Doors and premises"
COUNTER, PEOPLE = "Terminal and ship equipment", "Joining and leaving"
# In the order in which the portal shows them.
GROUPS = [
    {"key": name}
    for name in (WORKPLACE, SOFTWARE, ACCESS, PHONES, NETWORK, COUNTER, PREMISES, PEOPLE)
]


def _leaf(field: str, op: str, value: Any) -> dict[str, Any]:
    return {"field": field, "op": op, "value": value}


def _item(
    key: str,
    name: str,
    plain: str,
    group: str,
    icon: str,
    pounds: tuple[int, int] = (0, 0),
    **more: Any,
) -> dict[str, Any]:
    found = {
        "key": key,
        "name": name,
        "plain": plain,
        "group": group,
        "icon": icon,
        "once_pence": pounds[0] * 100,
        "monthly_pence": pounds[1] * 100,
        "delivery": "delivery-3",
        **more,
    }
    return {name: value for name, value in found.items() if value not in ("", None)}


_LAPTOPS, _MAIL, _SAFE = "Workplace laptops", "Mail and calendar", "Safe computing"
_HARDWARE: dict[str, Any] = {"service": _LAPTOPS, "team": "Quayside Support", "form": "ship-to"}
_DEAR: dict[str, Any] = {**_HARDWARE, "route": "spending"}

ITEMS = [
    _item("laptop", "Laptop", "A laptop with everything a desk needs", WORKPLACE, "laptop", (890, 0),
          **{**_DEAR, "form": "laptop", "tasks": ["laptop"], "words": "computer notebook pc", "delivery": "delivery-10"}),
    _item("monitor", "Monitor", "A 27-inch monitor with its cable", WORKPLACE, "monitor", (210, 0), **_DEAR, words="screen display"),
    _item("dock", "Docking station", "One plug for monitor, network and power", WORKPLACE, "plug", (140, 0), **_DEAR),
    _item("keyboard", "Keyboard and mouse", "Wired or without wires", WORKPLACE, "keyboard", (45, 0), **_HARDWARE),
    _item("headset", "Headset", "For calls, with a microphone", WORKPLACE, "headset", (65, 0), **_HARDWARE, words="headphones"),
    _item("camera", "Camera for calls", "Sits on the monitor", WORKPLACE, "camera", (55, 0), **_HARDWARE, words="webcam"),
    _item("mobile", "Mobile phone", "A phone with a company number", PHONES, "phone", (320, 14),
          **{**_DEAR, "form": "mobile", "tasks": ["mobile"], "service": "Terminal phones"}),
    _item("tablet", "Tablet", "For rounds and inspections", WORKPLACE, "tablet", (380, 9), **_DEAR),
    _item("desk-phone", "Desk phone", "A phone with an extension", PHONES, "phone", (85, 0), service="Terminal phones", team="Networks", form="ship-to"),
    _item("printer-toner", "Toner for a printer", "We bring it and put it in", WORKPLACE, "printer", (0, 0), service=_LAPTOPS, team="Quayside Support", form="ship-to", delivery="delivery-1", words="ink cartridge"),
    _item("desk-move", "Move of a work place", "Your things go with you to another desk", PREMISES, "move", (0, 0), service=_LAPTOPS, team="Quayside Support", form="move"),
    _item("repair", "Repair of a device", "We look at it, and lend you another", WORKPLACE, "repair", (0, 0), service=_LAPTOPS, team="Quayside Support", form="ship-to", delivery="delivery-1"),
    _item("radio", "Handheld radio", "For deck and quay, with a charger", PHONES, "radio", (260, 0), service="Ship-to-shore link", team="Ship Systems", form="ship-to", route="spending"),
    _item("bridge-tablet", "Bridge tablet", "Charts and lists on the bridge", COUNTER, "tablet", (720, 12), service="Ship-to-shore link", team="Ship Systems", form="ship-to", route="bridge",
          who=_leaf("department", "is one of", ["Sailing Operations", "IT"])),
    _item("ship-account", "Account on a ship's network", "Work on board with your own account", ACCESS, "key", (0, 0), service="Ship-to-shore link", team="Ship Systems", form="where", route="manager"),
    _item("satellite-quota", "More satellite data for a ship", "Another 50 GB for this month", NETWORK, "antenna", (450, 0), service="Ship-to-shore link", team="Ship Systems", form="where", route="spending", delivery="delivery-1"),
    _item("crew-wifi", "Wi-Fi code for crew", "A code for your own phone on board", NETWORK, "wifi", (0, 0), words="wifi wlan", service="Passenger Wi-Fi", team="Networks", delivery="delivery-1"),
    _item("mail-account", "E-mail account", "A mailbox and a calendar of your own", ACCESS, "mail", (0, 4), service=_MAIL, team="Platforms", form="account", tasks=["account"], delivery="delivery-1", words="mailbox"),
    _item("shared-mailbox", "Shared mailbox", "One address that a team reads together", ACCESS, "mail", (0, 4), service=_MAIL, team="Platforms", form="shared", route="manager"),
    _item("mail-list", "Mailing list", "One address that reaches many", ACCESS, "mail", (0, 0), service=_MAIL, team="Platforms", form="shared", delivery="delivery-1"),
    _item("password", "New password", "A one-time password, at once", ACCESS, "key", (0, 0), service=_SAFE, team="Harbour Desk", form="account", tasks=["password"], delivery="delivery-1", words="forgot reset locked"),
    _item("remote-access", "Access from elsewhere", "Work from home or on the way", ACCESS, "globe", (0, 6), service=_SAFE, team="Networks", form="remote", route="remote", words="vpn home office"),
    _item("door-card", "Door card", "For the office or a terminal", PREMISES, "card", (12, 0), service=_SAFE, team="Quayside Support", form="door", route="door"),
    _item("folder", "Shared folder", "A folder for a team, with who may read it", ACCESS, "folder", (0, 0), service=_MAIL, team="Platforms", form="shared", route="manager"),
    _item("guest-wifi", "Wi-Fi for a guest", "A code for a visitor's day", NETWORK, "wifi", (0, 0), words="wifi wlan visitor", service="Passenger Wi-Fi", team="Networks", form="until", delivery="delivery-1"),
    _item("admin-rights", "Rights to install", "Administrator rights for a while", ACCESS, "shield", (0, 0), service=_SAFE, team="Platforms", form="until", route="security"),
    _item("booking-access", "Access to web booking", "See and change bookings", ACCESS, "key", (0, 0), service="Web booking", team="Business Applications", form="reach", route="owner"),
    _item("payroll-access", "Access to payroll", "For those who pay", ACCESS, "key", (0, 0), service="Payroll", team="Business Applications", form="reach", route="payroll",
          who=_leaf("department", "is one of", ["Finance", "People", "IT"])),
    _item("roster-access", "Access to the crew roster", "See who sails when", ACCESS, "key", (0, 0), service="Crew roster", team="Business Applications", form="reach", route="owner"),
    _item("planner-access", "Access to the berth planner", "See or plan which ship lies where", ACCESS, "key", (0, 0), service="Berth planner", team="Business Applications", form="reach", route="owner"),
    _item("office-suite", "Office programs", "Letters, tables and slides", SOFTWARE, "app", (0, 11), service=_LAPTOPS, team="Platforms"),
    _item("drawing", "Drawing program", "Plans and technical drawings", SOFTWARE, "app", (0, 42), service=_LAPTOPS, team="Platforms", route="software", words="cad plans"),
    _item("picture-editor", "Picture editor", "Photographs and posters", SOFTWARE, "app", (0, 24), service=_LAPTOPS, team="Platforms", route="software", words="photo image"),
    _item("project-planner", "Project planner", "Plans with bars and dates", SOFTWARE, "app", (0, 18), service=_LAPTOPS, team="Platforms", route="software"),
    _item("other-software", "Another program", "Something that is not in this list", SOFTWARE, "app", (0, 0), service=_LAPTOPS, team="Platforms", form="other-software", route="software-new", delivery="delivery-10"),
    _item("till", "Till", "A till with drawer and printer", COUNTER, "till", (1450, 35), service="Ticket office tills", team="Quayside Support", form="counter", route="spending", tasks=["till"], delivery="delivery-10"),
    _item("card-reader", "Card reader", "For a till", COUNTER, "card", (240, 12), service="Ticket office tills", team="Quayside Support", form="counter", route="spending"),
    _item("handheld", "Handheld gate reader", "Reads tickets at the ramp", COUNTER, "reader", (680, 0), service="Boarding gates", team="Quayside Support", form="counter", route="spending"),
    _item("sign", "Sign on a screen", "A picture or words on a terminal's screens", COUNTER, "sign", (0, 0), service="Signage", team="Quayside Support", form="where", delivery="delivery-1"),
    _item("move-fixed", "Move of a fixed device", "It stands elsewhere afterwards, and works", COUNTER, "move", (0, 0), service="Boarding gates", team="Quayside Support", form="move-thing", route="technical", delivery="delivery-10"),
    _item("network-point", "Network point", "A socket where there is none", NETWORK, "plug", (180, 0), service="Terminal phones", team="Networks", form="counter", route="spending", delivery="delivery-10"),
    _item("return", "Return of devices", "We collect what somebody had", PEOPLE, "box", (0, 0), service=_LAPTOPS, team="Quayside Support", is_alone=False, form="until"),
    _item("close-account", "Closing of an account", "Mail goes on to somebody else", PEOPLE, "key", (0, 0), service=_SAFE, team="Platforms", is_alone=False, form="until", tasks=["close-account"]),
]  # fmt: skip


def _part(item: str, *, required: bool = False, fill: dict[str, str] | None = None, when: Any = None) -> dict[str, Any]:  # fmt: skip
    found: dict[str, Any] = {"item": item, "is_required": required, "fill": fill or {}}
    return {**found, "if": when} if when else found


_THERE = {"ship_to": "ship_to"}
BUNDLES = [
    {
        "key": "newcomer",
        "name": "A newcomer's first day",
        "plain": "Everything somebody new needs, ready on their first morning",
        "group": PEOPLE,
        "icon": "person",
        "words": "new starter starts begins joiner colleague hire onboarding",
        "form": "newcomer",
        "named_by": "newcomer_name",
        "team": "Harbour Desk",
        "delivery": "delivery-10",
        "route": "newcomer",
        "parts": [
            _part("mail-account", required=True, fill={"account_name": "account_name"}),
            _part("laptop", required=True, fill=_THERE),
            _part("door-card", required=True, fill={"doors": "doors"}),
            _part("monitor", fill=_THERE),
            _part("dock", fill=_THERE, when=_leaf("has monitor", "is", True)),
            _part("headset", fill=_THERE),
            _part("mobile", fill=_THERE),
            _part("remote-access", when=_leaf("works_away", "is", True)),
        ],
    },
    {
        "key": "counter",
        "name": "A new terminal counter",
        "plain": "Till, reader, phone and network for one more counter",
        "group": COUNTER,
        "icon": "till",
        "form": "counter",
        "team": "Quayside Support",
        "delivery": "delivery-10",
        "route": "counter",
        "parts": [
            _part("till", required=True, fill={"counter": "counter", "terminal": "terminal"}),
            _part(
                "card-reader", required=True, fill={"counter": "counter", "terminal": "terminal"}
            ),
            _part(
                "network-point", required=True, fill={"counter": "counter", "terminal": "terminal"}
            ),
            _part("desk-phone"),
            _part("handheld", fill={"counter": "counter", "terminal": "terminal"}),
        ],
    },
    {
        "key": "leaver",
        "name": "Somebody leaves",
        "plain": "Their accounts are closed and their things collected in time",
        "group": PEOPLE,
        "icon": "person",
        "words": "leaver exit quit offboarding",
        "form": "until",
        "team": "Harbour Desk",
        "delivery": "delivery-3",
        "route": "manager",
        "parts": [
            _part("close-account", required=True, fill={"until": "until"}),
            _part("return", required=True, fill={"until": "until"}),
        ],
    },
    {
        "key": "home-office",
        "name": "A work place at home",
        "plain": "Monitor, dock and access to work from home",
        "group": WORKPLACE,
        "icon": "home",
        "form": "ship-to",
        "team": "Harbour Desk",
        "delivery": "delivery-10",
        "route": "spending",
        "parts": [
            _part("remote-access", required=True),
            _part("monitor", fill=_THERE),
            _part("dock", fill=_THERE),
            _part("headset", fill=_THERE),
        ],
    },
    {
        "key": "season-crew",
        "name": "Crew for the season",
        "plain": "Account, Wi-Fi and door card for somebody on board for a season",
        "group": PEOPLE,
        "icon": "person",
        "form": "season",
        "team": "Ship Systems",
        "delivery": "delivery-3",
        "route": "",
        "parts": [
            _part("ship-account", required=True, fill={"where": "where"}),
            _part("crew-wifi", required=True),
            _part("door-card", fill={"doors": "doors"}),
        ],
    },
]
for _bundle in BUNDLES:
    if not _bundle["route"]:
        del _bundle["route"]


def _who(who: str, of: str = "") -> dict[str, str]:
    return {"who": who, "of": of} if of else {"who": who}


def _stage(key: str, name: str, *approvers: dict[str, str], **more: Any) -> dict[str, Any]:
    base = {"key": key, "name": name, "approvers": list(approvers), "quorum": "any"}
    reminds = {"remind_seconds": OFFICE_DAY, "fallback": TOMAS}
    return {**base, **reminds, **more}


_MANAGER = _stage("manager", "Line manager", _who("beneficiary's line manager"))
_BUDGET = _stage(
    "budget",
    "Cost centre",
    _who("cost centre owner"),
    **{"if": _leaf("cost", ">", 500)},
    decide_seconds=3 * OFFICE_DAY,
    when_passed="fallback",
)
_BOARD = _stage(
    "directors",
    "Directors",
    _who("person", ROSALIND),
    **{"if": _leaf("cost", ">", 5000)},
)


# Who may get in where is never decided by a mail alone, whatever it costs.
_SIGNED_IN = {"by_link": "never"}


def _route(key: str, name: str, *stages: dict[str, Any], owner: str = MARIT) -> dict[str, Any]:
    return {"key": key, "name": name, "owner": owner, "stages": list(stages)}


ROUTES = [
    _route("manager", "Line manager", _MANAGER),
    _route("spending", "Spending", {**_MANAGER, "if": _leaf("cost", ">", 100)}, _BUDGET, _BOARD),
    _route("newcomer", "A newcomer", _MANAGER, _BUDGET, _BOARD),
    _route(
        "counter",
        "A counter",
        _stage("terminals", "Head of service", _who("person", TOMAS), fallback=ANNEKE),
        _BUDGET,
        _BOARD,
    ),
    _route("bridge", "The bridge", _stage("ships", "Ship Systems", _who("team", "Ship Systems"), quorum={"of": 2})),
    _route(
        "remote",
        "Access from elsewhere",
        {**_MANAGER, "if": _leaf("outside_country", "is", True)},
        _stage(
            "security",
            "Information Security",
            _who("team", "Information Security"),
            **{"if": _leaf("outside_country", "is", True)},
            **_SIGNED_IN,
        ),
    ),
    _route("door", "Doors", {**_MANAGER, **_SIGNED_IN, "if": _leaf("doors", "is one of", ["Server room", "Cash office"])}),
    _route("owner", "Service owner", _stage("owner", "Service owner", _who("service owner"))),
    _route(
        "payroll",
        "Payroll",
        _MANAGER,
        _stage("owner", "Service owner", _who("service owner")),
    ),
    _route(
        "security",
        "Security",
        _stage("security", "Information Security", _who("team", "Information Security"), **_SIGNED_IN),
    ),
    _route("technical", "Technical owner", _stage("technical", "Technical owner", _who("technical owner"))),
    _route("software", "Software", {**_MANAGER, "if": _leaf("monthly cost", ">", 20)}),
    _route(
        "software-new",
        "New software",
        _MANAGER,
        _stage("security", "Information Security", _who("team", "Information Security"), quorum="any"),
    ),
]  # fmt: skip

FIELDS = [
    {"key": "ship_to", "label": "Where to bring it", "type": "choice", "choices": ["Saltgate office", "Kestrel Point", "Orrin Bay", "Vell Island", "Farrow Sound", "Ilha Clara"]},
    {"key": "laptop_size", "label": "Size", "type": "choice", "choices": ["13 inches, light", "15 inches"]},
    {"key": "old_laptop", "label": "You have one already?", "type": "yes/no"},
    {"key": "old_laptop_tag", "label": "Name on its sticker", "type": "text", "hint": "It begins with NM."},
    {"key": "keep_number", "label": "Keep an old number?", "type": "yes/no"},
    {"key": "old_number", "label": "Which number", "type": "text"},
    {"key": "account_name", "label": "Name in the address", "type": "text", "hint": "As it stands before the @."},
    {"key": "shared_name", "label": "What it is called", "type": "text"},
    {"key": "shared_who", "label": "Who may use it", "type": "long text"},
    {"key": "outside_country", "label": "Also from other countries?", "type": "yes/no"},
    {"key": "doors", "label": "Which doors", "type": "choice", "choices": ["Office", "Terminal", "Cash office", "Server room"]},
    {"key": "where", "label": "Which ship or place", "type": "choice", "choices": ["Merrow", "Skerry Light", "Tern", "Halcyon", "Saltgate", "Kestrel Point"]},
    {"key": "until", "label": "Until or on which day", "type": "date"},
    {"key": "reach", "label": "What you need to do there", "type": "choice", "choices": ["See", "Change", "Everything"]},
    {"key": "program", "label": "Which program", "type": "text"},
    {"key": "program_cost", "label": "What it costs a year", "type": "money"},
    {"key": "terminal", "label": "Terminal", "type": "choice", "choices": ["Saltgate", "Kestrel Point", "Orrin Bay", "Vell Island", "Farrow Sound"]},
    {"key": "counter", "label": "Which counter", "type": "text"},
    {"key": "first_day", "label": "First day", "type": "date"},
    {"key": "newcomer_name", "label": "Their name", "type": "text"},
    {"key": "works_away", "label": "Works from home too?", "type": "yes/no"},
    {"key": "shared_owner", "label": "Who answers for it", "type": "person", "hint": "They are asked when somebody wants in."},
    {"key": "which_thing", "label": "Which one", "type": "ci", "hint": "As it stands on its sticker: gate, till, printer."},
    {"key": "quote", "label": "An offer, if you have one", "type": "attachment"},
    {"key": "move_to", "label": "Where to", "type": "text"},
]  # fmt: skip


def _form(key: str, name: str, *fields: str, optional: tuple[str, ...] = (), effects: Any = ()) -> dict[str, Any]:  # fmt: skip
    def field(one: str) -> dict[str, Any]:
        audience = {"shown": True, "required": one not in optional}
        return {"field": one, "requester": audience, "agent": audience}

    return {
        "key": key,
        "name": name,
        "kind": "request",
        "categories": [],
        "fields": [field(one) for one in fields],
        "effects": list(effects),
    }


def _shows(field: str, then: str) -> list[dict[str, Any]]:
    """A second question only for those who said yes to the first."""
    return [
        {
            "if": {"not": _leaf(field, "is", True)},
            "then": [{"do": "hide", "field": then}],
        }
    ]


FORMS = [
    _form("ship-to", "Where to", "ship_to"),
    _form("laptop", "A laptop", "laptop_size", "ship_to", "old_laptop", "old_laptop_tag", optional=("old_laptop",), effects=_shows("old_laptop", "old_laptop_tag")),
    _form("mobile", "A mobile phone", "ship_to", "keep_number", "old_number", optional=("keep_number",), effects=_shows("keep_number", "old_number")),
    _form("account", "An account", "account_name"),
    _form("shared", "Something shared", "shared_name", "shared_who", "shared_owner"),
    _form("remote", "From elsewhere", "outside_country"),
    _form("door", "Doors", "doors"),
    _form("where", "Where", "where"),
    _form("until", "Until when", "until"),
    _form("reach", "How far", "reach"),
    _form("other-software", "Another program", "program", "program_cost", "quote", optional=("program_cost", "quote")),
    _form("counter", "A counter", "terminal", "counter"),
    _form("newcomer", "A newcomer", "newcomer_name", "first_day", "account_name", "ship_to", "doors", "works_away", optional=("works_away",)),
    _form("season", "For a season", "where", "doors"),
    _form("move", "A move", "move_to"),
    _form("move-thing", "Moving what stands there", "which_thing", "move_to"),
]  # fmt: skip


def _task(title: str, team: str = "", **more: Any) -> dict[str, Any]:
    return {"title": title, "team": team, **more} if team else {"title": title, **more}


TASKS = [
    {
        "key": "laptop",
        "name": "A laptop",
        "tasks": [
            _task("Take one from the stores", "Quayside Support", phase="Prepare", estimate_minutes=20,
                  outputs=["asset tag"]),
            _task("Set it up", "Platforms", phase="Prepare", estimate_minutes=90, after=["Take one from the stores"],
                  mode="in turn", inputs={"asset tag": "{asset tag}", "for": "{person}"}),
            _task("Collect the old one", "Quayside Support", phase="Hand over", estimate_minutes=20,
                  **{"if": _leaf("old_laptop", "is", True)}),
            _task("Hand it over", "Quayside Support", phase="Hand over", estimate_minutes=30, after=["Set it up"],
                  inputs={"asset tag": "{asset tag}", "where": "{place}"}),
        ],
    },
    {
        "key": "mobile",
        "name": "A mobile phone",
        "tasks": [
            _task("Order the number", "Networks", phase="Prepare", estimate_minutes=30,
                  **{"if": {"not": _leaf("keep_number", "is", True)}}),
            _task("Take the old number over", "Networks", phase="Prepare", estimate_minutes=60,
                  **{"if": _leaf("keep_number", "is", True)}),
            _task("Hand it over", "Quayside Support", phase="Hand over", estimate_minutes=20,
                  after=["Order the number", "Take the old number over"]),
        ],
    },
    {
        "key": "account",
        "name": "An account",
        "tasks": [
            _task("Create the account", "Platforms", phase="Prepare", estimate_minutes=5,
                  runbook="create-account", inputs={"account": "{account_name}"}, outputs=["address"]),
            _task("Tell the person", "Platforms", phase="Hand over", estimate_minutes=10, after=["Create the account"],
                  inputs={"address": "{address}"}),
        ],
    },
    {
        "key": "password",
        "name": "A new password",
        "tasks": [
            _task("Set a one-time password", "Harbour Desk", phase="Prepare", estimate_minutes=2,
                  runbook="reset-password", inputs={"account": "{account_name}"}),
        ],
    },
    {
        "key": "till",
        "name": "A till",
        "tasks": [
            _task("Order it", "Quayside Support", phase="Order", estimate_minutes=30, cost_pence=145_000),
            _task("Pull the cable", "Networks", phase="Prepare", estimate_minutes=180),
            _task("Set it up at the counter", "Quayside Support", phase="Hand over", estimate_minutes=120,
                  after=["Order it", "Pull the cable"]),
        ],
    },
    {
        "key": "close-account",
        "name": "Closing an account",
        "tasks": [
            _task("Close the account on the day", "Platforms", phase="Prepare", estimate_minutes=15),
            _task("Send the mail on", "Platforms", phase="Hand over", estimate_minutes=10,
                  after=["Close the account on the day"]),
        ],
    },
]  # fmt: skip


def _delivery(days: int) -> dict[str, Any]:
    return {
        "key": f"delivery-{days}",
        "name": f"Delivery in {days} working day{'s' if days > 1 else ''}",
        "owner": "Tomas Wray",
        "kind": "customer",
        "status": "active",
        "scope": _leaf("delivery", "is", f"delivery-{days}"),
        "calendar": "offices",
        "targets": {
            str(priority): {"answer": OFFICE_DAY, "fix": days * OFFICE_DAY}
            for priority in range(1, 5)
        },
        "pauses_on": ["requester", "date", "approval"],
        "answer_pauses_on": ["approval"],
    }


AGREEMENTS = [_delivery(days) for days in (1, 3, 10)]
