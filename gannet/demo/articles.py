"""What Northmere has written down beside its faults: how things are done, and what people ask.

Each article begins with `==`: its title, its service, for whom (all, desk), its kind.
"""

from collections.abc import Iterator
from typing import NamedTuple


class Told(NamedTuple):
    """An article as it is written here."""

    title: str
    service: str
    is_for_all: bool
    kind: str
    body: str


def told() -> Iterator[Told]:
    """Every article, in the order of the services."""
    for block in TEXT.split("\n== ")[1:]:
        head, _, body = block.partition("\n")
        title, service, whom, kind = (part.strip() for part in head.split("|"))
        yield Told(title, service, whom == "all", kind, body.strip())


TEXT = """
== Clean the glass of a gate reader | Boarding gates | all | how to
Salt dries on the glass and the red light scatters.

1. Wipe it with the blue cloth from the gate locker, dry.
2. If it stays dull, breathe on it and wipe again. No spray: it creeps under the frame.
3. Scan the test ticket that hangs on the lanyard. Two short beeps mean it reads.

== Open a gate by hand when a sailing must leave | Boarding gates | all | how to
Let people through first, count afterwards.

1. Turn the key in the right post to *open*. The arm stays up, the reader goes dark.
2. Count with the hand tally and note the number and the sailing.
3. Turn the key back, wait for green, and give the count to the duty office.

== Pair a spare handheld with the terminal | Boarding gates | all | how to
A handheld belongs to one terminal at a time.

1. Hold both side keys until the yellow frame shows.
2. Scan the square on the wall of the office: it carries the terminal's name.
3. Scan a ticket of today. *Not of this sailing* is fine: it has read it.

== What the lights of a gate mean | Boarding gates | all | question
| light | what it says |
|---|---|
| white, still | ready |
| green, two beeps | let them through |
| amber | read, but of another sailing |
| red, long | refused: read the words on the small screen |
| no light | no power, or the cover is open |

== Move a gate reader to another post | Boarding gates | desk | how to
The reader is known by its post, not by its own number.

1. Close the gate in the gate list, so that nobody is counted twice.
2. Swap the readers with the power off. The plug has a catch: press, do not pull.
3. Open the gate. If it says *unknown head*, give it its post again on the service page.

== Count after a gate was off the network | Boarding gates | desk | how to
A gate keeps four hours of tickets by itself.

1. Leave it on. It sends what it kept within ten minutes of being back.
2. Compare the count of the sailing with the hand tally, if there was one.
3. More than three apart: export the gate's own list and hand it to Boarding.

== A lorry ticket at a foot gate | Boarding gates | all | question
Foot gates refuse vehicle tickets on purpose. Send drivers who have left their cab to the vehicle
office: they get a slip that opens the foot gate once.

== Test the gates before the first sailing | Boarding gates | all | how to
Ten minutes before doors, each morning:

1. [ ] Scan the test ticket at every gate, in and out.
2. [ ] Press the stop on one of them and let it go: the arm must fall within a second.
3. [ ] Sign the sheet in the locker. A gate that fails stays closed, and you call the desk.

== Lock a berth for maintenance | Berth planner | all | how to
1. Open the berth, choose *close*, and say from when to when.
2. Sailings that were planned there turn striped. Move them first, or the close is refused.
3. The harbour master sees it at once; a mail goes to the ship's office.

== Swap two ships after a delay | Berth planner | all | how to
Planning a swap in two moves leaves both berths taken for a moment, and the second is refused.

1. Mark both sailings, holding the shift key.
2. Choose *swap*. The plan checks lengths and depths of both berths.
3. A red edge says which rule stands against it.

== Why a berth is too short for a ship that fits | Berth planner | all | question
The plan adds eight metres for lines, and twelve when the forecast is above force seven. A ship that
fits at noon may not fit in the evening. The harbour master may waive it, with a reason.

== Print the berth plan for the quay hut | Berth planner | all | how to
Choose *sheet* and not *print*: the sheet has the next twelve hours in letters that are read from
two metres. It goes to the printer of the quay hut unless you choose another.

== Give somebody the right to plan a harbour | Berth planner | desk | how to
Planning rights are for one harbour each.

1. The harbour master asks for it in the catalogue: *Access to a program*.
2. Add the person to the group of that harbour; nobody plans two harbours without the port office.
3. They sign out and in again. The plan keeps the old rights until then.

== Bring back a plan that was overwritten | Berth planner | desk | how to
Every save is kept for thirty days.

1. Open *earlier plans* and choose the hour before.
2. Look at the two side by side. Mark only what shall come back.
3. Save with a note: both planners get it by mail.

== The plan shows yesterday after midnight | Berth planner | all | question
The planning day ends at four in the morning, after the last sailing. Between midnight and four the
plan shows the day that is not over yet. The date in the corner says which.

== Tides in the berth plan | Berth planner | desk | question
Tide tables are loaded once a year, in December. If a harbour has no curve, its table was not found:
the file must be named after the harbour, in small letters, without blanks.

== Change the paper roll of a till | Ticket office tills | all | how to
1. Open the lid with the tab on the left. Take the old core out.
2. Scratch the new paper with a nail: the side that goes dark is up.
3. Let a hand's width hang out, close the lid, press feed once.

== Balance a drawer at the end of a shift | Ticket office tills | all | how to
1. Close your shift on the till before you count. It prints what there should be.
2. Count twice, coins first. Type what you counted, not what you expect.
3. More than two pounds apart: sign the slip with a colleague and leave it in the drawer.

== Refund a ticket that was paid by card | Ticket office tills | all | how to
The money goes back to the same card, not in cash.

1. Scan the ticket, choose *refund*, and let the card be shown.
2. Without the card choose *refund without card*: a lead types their code.
3. It takes three working days. The slip says so; give it to the passenger.

== Start a till after a power cut | Ticket office tills | all | how to
Printer first, till after: a till that starts without its printer asks for one all day.

1. Switch the printer on and wait for its green light.
2. Start the till. It takes four minutes when it was cut off hard.
3. Sell a ticket of one penny in training mode to see it print.

== What training mode is for | Ticket office tills | all | question
Everything works and nothing is sold. The frame is yellow and tickets say *training*. It ends by
itself at midnight. Sales that were made in it by mistake cannot be brought over: sell them again.

== Sell when the card machine is offline | Ticket office tills | all | how to
The machine keeps up to thirty payments below fifty pounds each.

1. It says *store*: go on as usual, but ask for the card to be put in, not held.
2. Above fifty pounds only cash, or the passenger pays on board.
3. Do not switch it off before it says *sent*: what it kept would be lost.

== Pair a card machine with a till | Ticket office tills | desk | how to
1. Read the eight figures under the machine, not those on its screen.
2. On the till: service, payments, machine. Type them and press *pair* within a minute.
3. Buy for one penny and refund it. Note the pair in the item's record.

== Put a new price list on the tills | Ticket office tills | desk | how to
Price lists are loaded at two in the morning, and never by hand on a single till.

1. Check that the list begins tomorrow or later.
2. Load it on the till server and read the three sample fares aloud to Bookings.
3. At six, read the same fares on one till of each terminal.

== Read a booking for a passenger on the phone | Web booking | all | how to
Ask for the booking number and the postcode. Without both say nothing of it, not even whether it
exists. With both you may read sailing, vehicle and number of people; never the card.

== A booking was paid and no ticket came | Web booking | all | fault and cure
The mail is often in the wrong folder, or the address has a slip in it.

1. Find the booking by number or by the last four figures of the card.
2. Press *send again*, to an address that the caller spells for you.
3. Nothing found: the payment did not go through. It is given back within five days.

== Change the name on a booking | Web booking | all | question
Up to three letters are a slip of the keyboard and are changed freely. A whole new name is a new
ticket: the fare may be higher. Groups change names until the evening before.

== Close the website for a quiet hour | Web booking | desk | how to
1. Announce it two days before, with the hours, on the portal and to Bookings.
2. Raise the page *back soon* at the edge, not on the booking servers: baskets stay alive for an hour.
3. Take it down, buy a ticket as a stranger would, refund it.

== Vouchers that are refused at the basket | Web booking | all | question
A voucher is good for sailings, not for meals and cabins, and on one booking only. One that begins
with G was given by the gift shop and is good for two years. Others end with the season.

== Where the log of a booking is | Web booking | desk | question
Every basket has a trace number, on the last page and in the mail. The trace lists each call with its
answer. Payments are not in it: ask Payments for what the bank said, with the trace number.

== The app shows an old ticket | Web booking | all | fault and cure
The app keeps tickets for a ship without signal. Pull the list down while there is signal: it reads
them again. If it stays, sign out, in again, and open the ticket once before you leave the house.

== Sell for a sailing that is full | Web booking | all | question
Eight places are kept for islanders until two hours before. They open by themselves. Nobody sells over
the count of the certificate, whatever the desk or a director says.

== Add a trailer to a freight booking | Freight manifest | all | how to
1. Open the sailing and the lorry. Choose *add trailer*, and type its plate without blanks.
2. Length is with the drawbar. Above eighteen metres the deck office has to agree.
3. Print the slip again: the old one is refused at the lane.

== Declare dangerous goods | Freight manifest | all | how to
1. Type the UN number. The class and what it may not stand beside come by themselves.
2. Attach the sheet that the driver carries, as a picture that can be read.
3. The mate accepts it on board until an hour before. Without that the lorry stays ashore.

== Send the manifest by hand | Freight manifest | desk | how to
When the customs line is down, the manifest goes by mail.

1. Export it as the customs file, not as a table.
2. Send it to the address on the yellow card, with sailing and date as the subject.
3. Send it again on the line as soon as it is up: the mail is only to gain time.

== Why a lorry is on two sailings | Freight manifest | all | question
A lorry that missed its sailing is moved to the next, and stays on the first as *not boarded* until
the ship has left. It counts once. If it is on both an hour after, the first was never closed.

== Correct a weight after boarding | Freight manifest | all | how to
Weights are closed when the ramp is up. Ask the mate: they open one line for ten minutes, and the
change is signed with both names. A new stability sheet is printed by itself.

== Plates from abroad | Freight manifest | all | question
Type what stands on the plate, with the country in its own box. Cyrillic and Greek plates are typed as
the customs paper has them. The scanner reads eleven countries; for others it shows a picture to type from.

== Read an empty weighbridge | Freight manifest | all | fault and cure
The bridge shows dashes until it has been empty for five seconds.

1. Let the lorry roll off, wait for zero, let it come again.
2. Dashes stay: press *zero* in the hut, with nothing on the bridge.
3. Still dashes: weigh on the second bridge and call the desk.

== Freight agents and their passwords | Freight manifest | desk | question
Agents have one account for each person, never one for the office. Their own lead asks for accounts on
the agents' page. We reset a password only after calling back on the number in the contract.

== Swap a shift with a colleague | Crew roster | all | how to
1. Both open the roster of that day. One offers, the other takes.
2. Rest hours are checked for both. A red line says which rule is broken.
3. The purser agrees, or has three hours to say no. After that it stands.

== See your roster on your own phone | Crew roster | all | how to
Open the roster's address and sign in as at work. Choose *add to calendar*: your phone reads changes
every two hours. It shows you alone, and ends when you leave the company.

== Say that you are ill | Crew roster | all | question
Call the purser of your ship, at any hour. The roster is theirs to change: a mark of your own is seen
only in the morning. From the third day on, send a picture of the paper to Payroll.

== Rest hours in the roster | Crew roster | all | question
Eleven hours between shifts, and thirty-six together once a week. The roster counts from the end of
your shift on board, not from when you are home. Delays of the ship move the end by themselves.

== Open a roster for the next month | Crew roster | desk | how to
1. Copy the month of a year ago and choose the sailings of the new plan.
2. Load leave and courses before crew: what they take is not offered.
3. Publish on the twentieth. Everybody gets one mail, not one for each change.

== A sailor on two ships in one day | Crew roster | all | question
Allowed when both lie in one harbour and an hour is between. The roster says *transfer*. Across
harbours it is refused, and a lead cannot override it: it is the law of rest hours.

== Add a course to the roster | Crew roster | desk | how to
Courses are shifts without a ship. Choose the kind *course*, the place, and who leads it. Those who
missed theirs are listed on the first of the month, with the day on which their paper runs out.

== The roster asks for a code at sea | Crew roster | all | fault and cure
Codes come by text message, which a ship without signal cannot get. Use the printed list of ten codes
that you got when you joined. Each is good once. A purser prints new ones.

== Read the signal bars of the bridge | Ship-to-shore link | all | question
Two bars are enough for voice and the manifest. One bar is voice alone. No bar and a red edge: the
dish has lost the satellite and looks for it, up to eight minutes after a turn.

== Save the link for what matters | Ship-to-shore link | all | how to
Press *duty only* on the bridge panel. Passenger Wi-Fi is cut to a tenth, updates wait, and voice,
manifest and weather come first. It ends by itself after two hours.

== Restart the modem of a ship | Ship-to-shore link | all | how to
> **Careful:** Tell the bridge first: voice is gone for six minutes.

1. Pull the plug with the blue tag, count to thirty, put it back.
2. Wait for three green lights. Two and one amber: it is still looking.

== Steer the dish by hand | Ship-to-shore link | desk | how to
> **Careful:** Only with the ship alongside, and never with somebody on the upper deck.

1. Lock the deck door and say so on channel six.
2. Choose the satellite by its place, type the ship's heading, press *seek*.
3. Above forty on the meter it locks by itself. Unlock the deck.

== Why calls from the ship have an echo | Ship-to-shore link | all | question
The way to the satellite and back takes half a second. Speak, stop, wait. With a headset the echo is
gone for the other side. Conference calls of more than four are not made for this link.

== Order more data for a ship | Ship-to-shore link | desk | how to
The contract has forty gigabytes a ship and month. Above that we pay by the piece.

1. Look at what used it: passengers, updates, or the cameras.
2. Ask the fleet office for the next piece, in writing.
3. Order it at the supplier's page; it counts within the hour.

== Places without signal | Ship-to-shore link | all | question
Behind the head of Farrow, in the lock at Orrin, and within two hundred metres of the cliffs of Tern.
Send what must go before, or ask the bridge for the slow line, which is always up.

== Update the charts over the link | Ship-to-shore link | desk | how to
Charts come on Thursdays. They are fetched in harbour, where the quay network carries them. At sea
they wait, but for a notice that is marked urgent: it is small and comes at once.

== Give a guest a Wi-Fi voucher | Passenger Wi-Fi | all | how to
1. Print one at the till or at the information desk: it is good for a day and two devices.
2. For a group print one for each; a shared one is cut off at the third device.
3. Vouchers for a week are at the purser's.

== The welcome page does not come up | Passenger Wi-Fi | all | fault and cure
1. Forget the network on the phone, and join it again.
2. Open an address that begins with http, without the s: `http://welcome.northmere.example`.
3. Switch off a private address of the phone, if it has one, for this network.

== How much a passenger may use | Passenger Wi-Fi | all | question
One gigabyte in two hours, then it is slow for the rest of the crossing. Films and updates of phones
are held back at sea. Voice over the Wi-Fi works in the lounges, not in cabins.

== Where the access points are | Passenger Wi-Fi | desk | question
On the plan of each ship, layer *radio*. Those above the ceiling have a blue dot on the tile. The one
in the children's corner is behind the slide: bring the small key.

== Block a device that disturbs others | Passenger Wi-Fi | desk | how to
1. Find it by its voucher or its address in the list of the last hour.
2. Block it for the crossing, not for good.
3. Write down what it did. After three times of the same voucher's owner, tell Information Security.

== Wi-Fi for the crew | Passenger Wi-Fi | all | question
Crew sign in with their own account on the network *deck*, which is not cut when the lounge is full.
It ends at midnight in the cabins' corridor, so that people sleep.

== Swap an access point at sea | Passenger Wi-Fi | desk | how to
Spares are set up to find their own ship.

1. Note the port before you pull the cable; it is written on the tile.
2. Hang the spare, wait four minutes for blue.
3. Red after ten: it has not been named. Call the network people with its label.

== Children's filter on the ships | Passenger Wi-Fi | all | question
The same filter stands for everybody. A page that is blocked by mistake is reported with its address;
it is looked at on the next working day. We do not open single pages for single passengers.

== Find an old payslip | Payroll | all | how to
Sign in, choose *my pay*, and the year. Slips of seven years are there. Older ones are on paper in the
archive: ask with year and month, and allow two weeks.

== Change your bank account | Payroll | all | how to
1. Choose *my pay*, *account*, and type the new one. A code comes to your work phone.
2. Changes until the fifteenth count for this month.
3. Nobody of ours asks you for the number by mail or phone.

== Send in receipts | Payroll | all | how to
1. Take a picture of each on a plain table, all four edges in it.
2. Choose the cost centre of the journey, not your own.
3. What is sent by Wednesday noon is paid on Friday of the week after.

== What a code on the slip means | Payroll | all | question
| code | what it is |
|---|---|
| 110 | hours by contract |
| 125 | hours at night |
| 140 | Sundays and holidays |
| 310 | meals on board |
| 820 | union fee |

== Pay of the last month when you leave | Payroll | all | question
It comes with the run after your last day, with leave that was not taken. Your sign-in to pay stays
for a year, with a private address that you give before you go.

== Run the pay again for one person | Payroll | desk | how to
1. Only before the file is with the bank, and with two people of Payroll asking.
2. Open the run, take the person out, correct the entry, put them back.
3. Compare the sum of the run before and after: it differs by that person alone.

== Tax paper at the end of the year | Payroll | all | question
It is in *my pay* from the last week of January. Those who left get it by post. If your name has
changed, ask before Christmas: papers are made in one night, for all.

== The bank file was sent twice | Payroll | desk | fault and cure
Call the bank's desk first, the number is on the red card; write after. They can hold a file until
two o'clock. Then tell Payroll's lead. Do not send a third file to correct the second.

== Set an answer for when you are away | Mail and calendar | all | how to
1. Choose *away* in the mailbox's menu, with the first and the last day.
2. Say who answers instead, with their number.
3. People outside get it once a week each, not with every mail.

== Open the mailbox of a team | Mail and calendar | all | how to
It appears by itself the day after you were let in. To have it at once, close the mail program and
open it again. Answer from it by choosing the team's name above the text.

== Book a room with a screen | Mail and calendar | all | how to
Add the room to the meeting as you would a person: it accepts or declines within a minute. Rooms with
a screen have a *V* behind their name. A room nobody comes to is free again after fifteen minutes.

== Send something too large for a mail | Mail and calendar | all | how to
Above twenty megabytes put it into the shared folder of your team and send the link. For people
outside make a link that ends: two weeks are offered, and can be less.

== Bring back a mail that was deleted | Mail and calendar | all | how to
1. Look in *deleted*, then in *beyond deleted*, which keeps thirty days.
2. Mark it and choose *back*.
3. Older than that: ask the desk, with the sender and the week. Ninety days are kept.

== Meetings an hour off for colleagues on the islands | Mail and calendar | all | question
The islands keep another hour. A meeting is at its moment, not at its figures: what is ten in Saltgate
is nine in Ilha Clara. If it is off for all, the time zone of the one who sent it is wrong.

== Make a mailbox for a project | Mail and calendar | desk | how to
1. It has an owner and a day on which it ends; both stand in its notes.
2. Members are a group, never single people.
3. When it ends, it is closed for writing for a month, then kept for a year.

== Read the path of a mail | Mail and calendar | desk | how to
Ask for the mail as a file, not forwarded: forwarding loses the path. Read *Received* from the bottom
up. The longest gap is where it waited. Our own server is the third from the top.

== Connect two screens to a laptop | Workplace laptops | all | how to
1. Plug the dock in first, the screens after.
2. Choose *extend*, and drag the screens as they stand on the table.
3. If one stays dark, swap the two cables: if the other is dark now, it is the cable.

== Get a laptop back to speed | Workplace laptops | all | how to
1. Restart it. *Shut down* is not the same: it only sleeps.
2. Leave it on the charger and the network over lunch: updates finish then.
3. Less than ten gigabytes free: empty the folder *downloads*.

== Take a laptop abroad | Workplace laptops | all | question
Within the islands and the mainland, as you like. Elsewhere ask first: some countries look into
laptops at the border. You get an empty one for the journey, and yours stays in the safe.

== Give back a laptop | Workplace laptops | all | how to
Bring it with its charger, and with its lid sticker. Files that stand only on it are gone an hour
later: put them where they belong first. You get a slip: it is needed on your last day.

== Choose where you print | Workplace laptops | all | how to
Print to *any printer*, walk to the one that is free, and hold your badge to it. What nobody fetches is
deleted at six in the evening.

== Put a laptop in the dock of another office | Workplace laptops | all | question
Every dock takes every laptop bought since two years. Older ones charge, but show one screen. The
round plug is for the tablets of the quay and does nothing else.

== Set a laptop up for somebody new | Workplace laptops | desk | how to
1. Start it on the cable, not on Wi-Fi. Type their name, choose their department.
2. It takes an hour by itself. Do not close the lid.
3. Let them choose the password, with you looking elsewhere.

== Read why a laptop stopped | Workplace laptops | desk | how to
The blue page has a word in capitals at its end. Note it with the hour. Twice the same word in a week:
swap the memory first, it is the cheapest. Three different words: the disk.

== Put a phone on another desk | Terminal phones | all | how to
Take it along and plug it in: the number goes with the phone, not with the socket. The socket has to be
yellow. At the quay none are: ask for a handset instead.

== Forward a phone | Terminal phones | all | how to
Lift, press *star two*, type the number, wait for the long tone. *Star three* ends it. It does not end
by itself, and survives a night: put a note on the phone.

== Join a call of three | Terminal phones | all | how to
1. Call the first, press *hold*.
2. Call the second, press *join*.
3. Who began it ends it for all by hanging up; press *leave* to go alone.

== Hunt groups and their order | Terminal phones | desk | question
A group rings its members in the order of the list, eight seconds each, then all at once. Who is
signed off is passed over. After a minute it goes to the mailbox of the group, which somebody must own.

== Emergency calls from the quay | Terminal phones | all | question
Every phone and handset calls 999 without a sign-in, and shows the harbour office where it is. From the
ships use channel sixteen. Test calls are made on the first Monday, and never by ourselves.

== Charge and wake a handset | Terminal phones | all | fault and cure
Put it in for ten minutes before you judge it. No light in the cradle: wipe both contacts with a dry
cloth. A light and no screen: hold the red key for twelve seconds.

== Listen to the mailbox of your phone | Terminal phones | all | how to
Press the envelope. The code is the last four of your staff number until you change it, and you must
change it the first time. Messages are kept for thirty days.

== Number plan of the terminals | Terminal phones | desk | question
Four figures: the first says the harbour, the second the building. 40 is Saltgate's office, 41 its
quay. Free numbers are on the sheet *numbers*; whoever takes one writes a name beside it.

== Show a message on all screens | Signage | all | how to
1. The duty office alone can: choose *all*, type up to ninety letters, say until when.
2. It runs along the foot, and replaces nothing.
3. In two languages it takes turns every eight seconds.

== Why a screen shows another berth than the plan | Signage | all | question
Screens follow the berth planner by a minute. Longer than that: the screen is off the network, and a
small clock in its corner stands still. Send somebody to say it aloud, then call the desk.

== Switch a screen off for the night | Signage | all | question
They sleep from the last sailing to an hour before the first. One that stays bright has lost the plan.
Press the key below its frame for three seconds; in the morning it wakes with the others.

== Hang a new screen | Signage | desk | how to
1. Power and network before it goes up: nobody likes the ladder twice.
2. Give it its place in the list; it takes its layout from there.
3. Stand where people stand. If you cannot read the berth, the layout is the wrong one.

== Load a new timetable on the screens | Signage | desk | how to
Timetables come from Bookings as a file with a first day. Load it a week before. The preview shows any
day: look at the first, at a Sunday, and at the last of the old one.

== A passenger cannot read the screens | Signage | all | question
The information desk has the sailings in large print and reads them aloud. On the app the button *hear
it* does the same. Screens with a blue frame have letters twice as large: one in each hall.

== Letters that a screen cannot show | Signage | desk | fault and cure
A square instead of a letter means that the player's font lacks it. Update the player in the list; it
takes the night's fonts along. Until then write the name without its accents.

== The sound of an announcement is missing | Signage | all | fault and cure
The gong comes from the speaker, the words from the player. A gong without words: the player has no
line. No gong either: the amplifier in the duty office is off, second shelf, green key.

== Report a suspicious message | Safe computing | all | how to
Press *report* in the mail program: it goes to Information Security with all they need, and leaves
your mailbox. Do not forward it, and do not answer. If you have opened a link, call at once: nobody
will be angry.

== You lost a phone or a laptop | Safe computing | all | how to
1. Call the desk, at any hour. We lock it and can empty it.
2. Say where and when, and whether it was open.
3. Tell your lead. The police report can wait until the morning.

== Choose a password that lasts | Safe computing | all | question
Four words that do not belong together, longer than eighteen letters. You need not change it unless
somebody else may know it. Never the one you use at home.

== Who may see what you do | Safe computing | all | question
We see which programs run and which addresses are asked, for ninety days. Nobody reads mail or files
without a written order of two people, and you are told afterwards unless a court says no.

== Plug in a stick that you found | Safe computing | all | question
Do not. Bring it to the desk: we have a machine for that. The same goes for sticks that were a gift.
Your own may be used after it was looked at, once a year.

== Unlock an account that was locked | Safe computing | desk | how to
1. Ask who they are by the two questions on the card, and call back on the number we have.
2. Look at where the wrong tries came from. From outside: tell Information Security first.
3. Unlock, and let them choose a new password while you are on the line.

== Lend your badge to a colleague | Safe computing | all | question
No, not for a minute. Who has left theirs at home gets one for the day at the gate house. A badge that
opens two doors at once at two places is stopped by itself, and its owner is called.

== Ask for a program that is not in the list | Safe computing | all | how to
Choose *Another program* in the catalogue: say what it is for and what it costs a year. Information
Security looks at where it keeps its data. Free ones take as long as dear ones.
"""
