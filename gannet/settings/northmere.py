"""Northmere Ferries, whose desk the demo and the tests show."""

DESK_ADDRESS = "help@northmere.example"
DESK_NAME = "Northmere IT help"
ORGANISATION = "Northmere Ferries"
ORGANISATION_SHORT = "Northmere"
RUNBOOKS = "gannet.demo.runbooks.RUNBOOKS"
# One person per role, in the order of a ticket's life.
DEMO_PEOPLE = {
    "ines.corrado@northmere.example": "requester, chief mate of the Skerry Light",
    "signe.hallam@northmere.example": "agent, Harbour Desk",
    "joss.levering@northmere.example": "agent, Ship Systems",
    "marit.osei@northmere.example": "team lead, Harbour Desk",
    "rosalind.hathersage@northmere.example": "director, approves requests",
    "lena.okoro@northmere.example": "leads the Crew Office, asks for others",
    "tomas.wray@northmere.example": "manager, reads reports",
    "anneke.dray@northmere.example": "administrator",
}
