"""What goes wrong at Northmere, in the words of those it happens to.

A fault has titles, accounts, fixes and notes with slots; a story picks one of each and
fills the slots, opens and closes in somebody's manner, and so hardly ever says the same
twice.
"""

import random
import re
from dataclasses import dataclass

Texts = tuple[str, ...]


@dataclass(frozen=True)
class Fault:
    """One way in which a service fails; `levels` are its usual impact and urgency."""

    service: str
    weight: int
    levels: tuple[tuple[int, int], ...]
    titles: Texts
    accounts: Texts
    fixes: Texts
    notes: Texts
    item: str = ""


@dataclass(frozen=True)
class Story:
    """One told fault."""

    title: str
    text: str
    fix: str
    note: str


_TIMES = (
    "this morning",
    "since six",
    "since the first sailing",
    "after lunch",
    "since last night",
    "for an hour now",
    "since the shift change",
    "twice today",
    "all day",
    "on and off",
)
_OPENERS = (
    "",
    "",
    "",
    "Hello, ",
    "Good morning, ",
    "Hi desk, ",
    "Sorry to bother you again: ",
    "Quick one: ",
    "Calling back as promised. ",
    "For your information: ",
)
_CLOSERS = (
    "",
    "",
    "",
    " Thank you.",
    " We sail again at {clock}.",
    " I am on {phone}.",
    " {colleague} has the same.",
    " Please ring the counter first.",
    " Not urgent tonight.",
    " Passengers are asking.",
    " I have tried turning it off and on.",
    " I can be reached until {clock}.",
    " It worked yesterday.",
)

FAULTS: tuple[Fault, ...] = (
    Fault("Boarding gates", 10, ((1, 1), (2, 2), (2, 1)),
          ("Gate {n} rejects every barcode", "Gate {n} at {place} reads nothing",
           "Barcodes refused at {place}, gate {n}", "Reader on gate {n} stays dark"),
          ("The reader beeps red for every ticket, {time}.",
           "Phone tickets and paper tickets are both refused {time}; we are letting people through by hand.",
           "The light comes on but nothing is read. Wiping the glass did not help."),
          ("Restarted the reader and reloaded its ticket keys; read twenty tickets as a test.",
           "Replaced the reader head with the spare from the terminal office.",
           "The reader had lost its time; set it and the keys came through."),
          ("Keys on the reader were two days old.", "Third reader head at {place} this quarter."),
          "gate"),
    Fault("Boarding gates", 5, ((2, 2), (3, 2)),
          ("Gate {n} slow since the update", "Ten seconds for each ticket at gate {n}",
           "Gate {n} at {place} hesitates"),
          ("Each ticket takes several seconds {time}, the queue reaches the ramp.",
           "It reads, waits, then opens. Gate beside it is fine."),
          ("Cleared the gate's local log, which had filled its disk.",
           "Moved the gate to the second network port; answers in under a second again."),
          ("Disk at 98 percent.", "Port errors on the quay switch, ordered a new cable."), "gate"),
    Fault("Boarding gates", 4, ((2, 2), (3, 3)),
          ("Handheld reader will not pair at {place}", "Spare handheld has no tickets on it",
           "Handheld {n} shows yesterday's sailing"),
          ("The handheld finds the gate and drops it {time}.",
           "It still has yesterday's list and will not fetch a new one."),
          ("Reset the pairing and charged it; it fetched today's list.",
           "Enrolled the handheld again after its certificate had run out."),
          ("Certificate ran out on all of that batch.", "Battery below five percent.")),
    Fault("Berth planner", 6, ((1, 2), (2, 2)),
          ("Berth {n} shows {ship} twice", "{ship} missing from the berth plan",
           "Berth plan for {place} does not save"),
          ("The plan for tomorrow shows {ship} on two berths and will not let me remove one.",
           "I move a ship and the plan jumps back after a minute.",
           "It says saved, but the duty master sees the old plan."),
          ("Removed the doubled call from the plan and ran the consistency check.",
           "Restarted the planning service; the waiting changes were written."),
          ("Two planners saved in the same second.", "Lock left behind by a closed session."), "server"),
    Fault("Berth planner", 4, ((2, 3), (3, 2)),
          ("Tide table not in the berth planner", "Berth planner prints an empty sheet",
           "Berth planner very slow {time}"),
          ("The tide line is flat at zero for the whole week.",
           "Printing the week gives an empty page with only the heading."),
          ("Loaded the tide file again; it had arrived cut in half.",
           "Corrected the print template after the last update."),
          ("File came with the wrong length.", "Template had a fixed paper size."), "server"),
    Fault("Ticket office tills", 9, ((2, 1), (2, 2)),
          ("Till {n} prints blank tickets at {place}", "No tickets out of till {n}",
           "Ticket printer on till {n} jams"),
          ("The roll is new and the right way round, the tickets are white {time}.",
           "The printer pulls three tickets at once and then stops."),
          ("Cleaned the print head and aligned the roll guide.",
           "Swapped the printer; the old one goes to the workshop.",
           "Installed the printer driver that the update had removed."),
          ("Head worn, ordered two.", "Same roll batch as at Orrin Bay."), "till"),
    Fault("Ticket office tills", 7, ((2, 1), (2, 2), (3, 2)),
          ("Card reader on till {n} declines everything", "Till {n} cannot take cards",
           "Contactless dead at {place}, till {n}"),
          ("Every card is declined {time}, cash still works.",
           "It says no connection to the payment host."),
          ("Loam Payments reset the terminal's keys; took a payment of one pound and returned it.",
           "The reader had fallen off the network, gave it a fixed address."),
          ("Host answers from the neighbouring till.", "Passed to Loam with the terminal number."), "till"),
    Fault("Ticket office tills", 4, ((3, 2), (2, 2)),
          ("Day close on till {n} does not balance", "Till {n} asks for yesterday's close",
           "Cash drawer on till {n} stays shut"),
          ("The close is {n} pounds out and it will not let me go on.",
           "It wants the day of yesterday closed but yesterday is closed."),
          ("Closed the open voucher that blocked the day and ran the close again.",
           "Set the drawer's cable, which had worked loose."),
          ("Voucher from a cancelled group.", ""), "till"),
    Fault("Web booking", 7, ((1, 1), (1, 2), (2, 2)),
          ("Cannot open the cabin plan", "Booking page stops at payment",
           "Website shows {place} sailings as full"),
          ("Customers ring because the page stays white after choosing a cabin.",
           "Payment goes through but no confirmation comes, {time}.",
           "All sailings from {place} show as full, they are half empty."),
          ("Rolled the seat map service back to last week's version.",
           "Emptied the queue of confirmations, which one bad address had blocked.",
           "Refreshed the allotments; a night job had not run."),
          ("One malformed address stopped the queue.", "Night job ended at 02:10 without an error."), "server"),
    Fault("Web booking", 4, ((2, 3), (3, 3), (2, 2)),
          ("Booking mails arrive an hour late", "Wrong price for vans on the website",
           "Discount code {n} not accepted"),
          ("Confirmations arrive long after the customer has left the counter.",
           "The code from the leaflet gives an error."),
          ("Raised the number of mail workers during the day.",
           "Corrected the start date of the code, which was a day off."),
          ("Queue at 4,000.", ""), "server"),
    Fault("Freight manifest", 6, ((2, 1), (2, 2)),
          ("Manifest export stops at {n}00 rows", "Manifest for {ship} will not send",
           "Dangerous goods page missing from the manifest"),
          ("The export ends in the middle of a lorry and says done.",
           "We press send and it turns for ever, {ship} leaves at {clock}."),
          ("A weight with a comma broke the export; corrected the row and the check for it.",
           "Sent the manifest by hand and restarted the transfer."),
          ("Comma in the weight of booking {n}44.", "Transfer folder was full."), "server"),
    Fault("Freight manifest", 3, ((3, 2), (3, 3)),
          ("Freight customer {n} appears twice", "Cannot change lorry length",
           "Freight claims list is empty"),
          ("The same haulier stands there twice and half the bookings hang on each.",
           "The field is grey for me, {colleague} can change it."),
          ("Merged the two customers and their bookings.", "Gave the missing right to the group."),
          ("", "Right was lost in the last clean-up."), "server"),
    Fault("Crew roster", 6, ((2, 2), (3, 2)),
          ("Roster shows Tuesday's crew twice", "{ship} has nobody on the roster",
           "Roster swap stays unconfirmed"),
          ("Both watches stand on the same line for Tuesday and the total is wrong.",
           "I approved the swap and the person still sees the old watch."),
          ("Rebuilt the week from the approved swaps.", "Ran the missed night calculation again."),
          ("Calculation ended when the server restarted.", ""), "tablet"),
    Fault("Crew roster", 5, ((3, 1), (3, 2)),
          ("Crew tablet {n} will not sign in", "Crew tablet on {ship} asks for a code",
           "Tablet {n} frozen on the start page"),
          ("It accepts the code and goes back to the sign-in page {time}.",
           "The tablet asks for a code that nobody has."),
          ("Reset the tablet's registration and signed in with the crew member on the phone.",
           "Updated the tablet over the quay network, it had missed two versions."),
          ("Clock was eleven minutes off.", "Registration had run out."), "tablet"),
    Fault("Ship-to-shore link", 9, ((1, 1), (1, 2), (2, 2)),
          ("Ship-to-shore link drops near {place}", "No link on {ship}",
           "{ship} loses the link every few minutes"),
          ("The link to shore cut out twice between {place} and the next port. Manifests would not send.",
           "The bridge tablet says no route {time}.",
           "Voice still works, data does not. It comes back near the harbour."),
          ("Pinned the second carrier on the bridge router; link steady for two crossings.",
           "Brightmast realigned the mast antenna.",
           "Restarted the bridge router and loaded the newer route table."),
          ("Same mast as last month.", "Log shows forty changes of carrier in an hour."), "router"),
    Fault("Ship-to-shore link", 4, ((2, 2), (2, 3)),
          ("Link on {ship} very slow", "Weather files do not reach {ship}",
           "Phone calls from {ship} break up"),
          ("Files of a few megabytes take half an hour {time}.",
           "Calls break up as soon as somebody uses the data line."),
          ("Set the voice traffic first again after a reset had forgotten it.",
           "Compressed the weather files at the sending end."),
          ("Priority table was empty.", ""), "router"),
    Fault("Passenger Wi-Fi", 8, ((2, 3), (2, 2), (3, 3)),
          ("Lounge Wi-Fi is slow on {ship}", "No Wi-Fi in the {place} lounge",
           "Wi-Fi page does not come up on {ship}"),
          ("Passengers complain {time}, speed test says almost nothing.",
           "Devices connect and then the welcome page never appears."),
          ("Swapped the access point in the lounge.", "Renewed the certificate of the welcome page.",
           "Limited video on the passenger network during the crossing."),
          ("Access point reports 140 clients.", "Certificate ended at midnight."), "access point"),
    Fault("Passenger Wi-Fi", 3, ((3, 3),),
          ("Wi-Fi voucher {n}20 refused", "Staff phone lands on the passenger Wi-Fi",
           "Cabin {n} has no Wi-Fi"),
          ("The voucher was bought today and is refused.", "It takes the wrong network by itself."),
          ("Printed a new voucher and voided the old.", "Removed the stored network from the phone."),
          ("", ""), "access point"),
    Fault("Payroll", 5, ((3, 2), (2, 2), (3, 3)),
          ("Payslip for {month} missing", "Overtime of {month} not paid",
           "Expenses claim {n}17 stuck"),
          ("My payslip is not in the portal, {colleague} has theirs.",
           "The overtime of the storm week is missing from the slip."),
          ("Published the payslips that had been left in the last batch.",
           "Sent the overtime to the supplementary run on Friday."),
          ("Batch cut at 500.", ""), "server"),
    Fault("Payroll", 2, ((2, 1), (2, 2)),
          ("Pay run stops with an error", "Cannot open the pay approval page"),
          ("The run stops at person {n}12 and says invalid tax code.",
           "The page says I have no right to approve; I have done it for years."),
          ("Corrected the tax code and finished the run.", "Restored the approver right."),
          ("", "Right lost with the change of department."), "server"),
    Fault("Mail and calendar", 8, ((3, 2), (3, 3), (3, 2)),
          ("Shared mailbox for {place} not visible", "Calendar shows meetings an hour off",
           "Cannot send to the {place} list", "Meeting room {n} double booked"),
          ("The mailbox was there on Friday and is gone {time}.",
           "All meetings with {colleague} are an hour off since the clocks changed.",
           "Mails to the list come back at once."),
          ("Gave access again, the group had lost its owner.", "Corrected the zone in the profile.",
           "Removed the closed account that made the list refuse."),
          ("Owner left in spring.", ""), "server"),
    Fault("Mail and calendar", 6, ((3, 1), (3, 2), (2, 2)),
          ("Mailbox full, cannot send", "Password expired while at sea",
           "Mail on the phone stopped {time}"),
          ("It says the mailbox is full but I deleted a lot yesterday.",
           "I am on {ship} until {clock} and cannot change my password from here."),
          ("Emptied the hidden recovery folder and raised the limit.",
           "Checked who it was by calling back, then gave a one-time code."),
          ("", "Called back on the number we have."), "server"),
    Fault("Workplace laptops", 9, ((3, 1), (3, 2), (3, 3)),
          ("Laptop does not start", "Dock loses both screens", "Laptop battery lasts an hour",
           "Blue screen when docking", "Keyboard of my laptop types double"),
          ("It stays black with one light on {time}.",
           "Both screens go dark for some seconds several times an hour.",
           "I cannot get through a meeting without the charger."),
          ("Replaced the battery.", "Updated the dock's firmware; steady for a day.",
           "Lent a spare and sent the laptop to repair.", "Reseated the memory; started normally."),
          ("Second of this model this week.", "Warranty until next summer.")),
    Fault("Workplace laptops", 6, ((3, 2), (3, 3)),
          ("Cannot print at {place}", "Second screen not found", "Disk almost full",
           "Programs are slow since the update"),
          ("The printer is listed but says offline {time}.", "Everything takes a minute to open."),
          ("Removed the doubled printer and added the right one.",
           "Cleared old update files, forty gigabytes came free.", "Ended a search index that never ended."),
          ("", "Index rebuilt overnight.")),
    Fault("Terminal phones", 6, ((2, 2), (3, 2), (3, 3)),
          ("Phones at {place} cut callers off", "Handset {n} rings once and stops",
           "Call group of {place} goes to nobody"),
          ("Callers are cut off after exactly thirty seconds {time}.",
           "The group number rings at a desk that has been empty for a year."),
          ("Corrected the time limit in the call route.", "Put the present people into the call group.",
           "Changed the handset's battery and base."),
          ("Limit came with the last change.", ""), "phone"),
    Fault("Signage", 5, ((2, 3), (2, 2), (3, 3)),
          ("Departure screen {n} at {place} is frozen", "Screen shows the wrong berth for {ship}",
           "Departure screens at {place} are black"),
          ("It shows the sailing of {clock} {time}.", "People walk to the wrong berth."),
          ("Restarted the player behind the screen.", "Cleared a stuck message and reloaded the plan.",
           "Changed the power supply."),
          ("Player had lost its network name.", ""), "screen"),
    Fault("Safe computing", 4, ((3, 1), (2, 1), (3, 2)),
          ("Strange message asking for my password", "Lost my phone on {ship}",
           "Clicked on a link I should not have"),
          ("It looked like a message from payroll and asked me to sign in.",
           "I had it at the counter and now it is gone."),
          ("Reset the password, ended all sessions, blocked the address.",
           "Locked and erased the phone from afar; a new one is on its way."),
          ("Twelve others got the same message.", "")),
)  # fmt: skip

QUESTIONS = (
    "Could you tell me which sailing you were on when it happened?",
    "Does it happen with every ticket or only with some?",
    "Please send me a picture of what the screen says.",
    "Is {colleague} beside you seeing the same?",
    "Can you try it once more and tell me the exact time?",
    "Which of the two devices is it, the one by the window or the one by the door?",
    "May I connect to your machine this afternoon? Tell me a good time.",
    "Did anything change yesterday: a new cable, a move, an update?",
)
FIRST_ANSWERS = (
    "Thank you, I have it and am looking at it now.",
    "Got it. I will ring you within the hour.",
    "Thank you for the report. I have asked {team} to look with me.",
    "I see the same from here. Please use the neighbouring one for the moment.",
    "I am on it. Keep the device switched on, please.",
    "Thank you, that is clear. I will check the log and come back to you.",
    "We know of two others like this; I am comparing them.",
    "I have taken this. If it stops you altogether, ring us.",
)
ANSWERS_BACK = (
    "It was the {clock} sailing.", "With every one, I tried five.", "Yes, the same beside me.",
    "Picture attached to my next mail, the screen says {n}4 and goes dark.",
    "It happened again at {clock}.", "The one by the door.", "After two is fine for me.",
    "Nothing changed that I know of.", "Only when it rains, oddly.", "Now it works for a moment and stops.",
)  # fmt: skip
HAND_OVER_REASONS = (
    "Reader replaced, still red: this is the network side.",
    "Needs somebody on site at {place}.",
    "Beyond what we can see from the desk; log attached to the note.",
    "Same as the one from last week, you know the cause.",
    "The mast again, I think.",
    "Rights in the application, please.",
    "Server side: service restarts by itself.",
    "Off shift now, please go on: requester expects a call.",
)
STILL_BROKEN = (
    "It came back after an hour.", "Worked for one sailing, now the same again.",
    "Sorry, it is still not right.", "The other one beside it does it now.",
)  # fmt: skip
WAIT_REASONS = (
    "asked for the exact time", "asked for a picture", "needs the laptop to be brought in",
    "asked which device", "waiting for a good time to connect", "asked to try once more",
)  # fmt: skip
DATE_REASONS = (
    "ship is alongside then", "part arrives then", "change window on Thursday night",
    "requester is back from leave then",
)  # fmt: skip
_MONTHS = ("January", "February", "March", "April", "May", "June", "July", "August", "September",
           "October", "November", "December")  # fmt: skip
_SLOT = re.compile(r"\{(\w+)\}")


class Teller:
    """Fills slots from one seeded source, so that the same demo is told each time."""

    def __init__(self, rng: random.Random, places: list[str], ships: list[str], names: list[str]):
        self._rng = rng
        self._places, self._ships, self._names = places, ships, names

    def slots(self, place: str) -> dict[str, str]:
        rng = self._rng
        at_sea = place in self._ships
        return {
            "n": str(rng.randint(1, 6)),
            "place": rng.choice(self._places) if at_sea else place,
            "ship": place if at_sea else rng.choice(self._ships),
            "time": rng.choice(_TIMES),
            "clock": f"{rng.randint(5, 21):02}:{rng.choice((0, 15, 30, 40, 45)):02}",
            "phone": str(rng.randint(4000, 4690)),
            "colleague": rng.choice(self._names),
            "month": rng.choice(_MONTHS),
            "team": "the specialists",
        }

    def tell(self, fault: Fault, place: str, number: str = "") -> Story:
        """One telling of a fault at a place; with the number of the thing, if it is known."""
        rng, slots = self._rng, self.slots(place)
        if number:
            slots["n"] = number
        opener, closer = rng.choice(_OPENERS), rng.choice(_CLOSERS)
        account = rng.choice(fault.accounts)
        if opener.endswith((", ", ": ")):
            account = account[0].lower() + account[1:]
        return Story(
            title=fill(rng.choice(fault.titles), slots),
            text=fill(opener + account + closer, slots),
            fix=fill(rng.choice(fault.fixes), slots),
            note=fill(rng.choice(fault.notes), slots),
        )

    def say(self, lines: Texts, place: str) -> str:
        return fill(self._rng.choice(lines), self.slots(place))


def fill(text: str, slots: dict[str, str]) -> str:
    return _SLOT.sub(lambda found: slots[found[1]], text)
