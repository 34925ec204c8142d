"""All addresses: the API, and one page for everything else."""

from django.urls import path, re_path

from gannet.changes import api as changes
from gannet.changes import cab_api as cab
from gannet.changes import calendar_api as calendars
from gannet.changes import release_api as releases
from gannet.majors import api as majors
from gannet.messages import api as messages
from gannet.messages.files import linked_file
from gannet.messages.receiver import receive
from gannet.oncall import api as oncall
from gannet.people import api as people
from gannet.portal import api as portal
from gannet.portal import api_announcements as announcements
from gannet.portal import api_answers as answers
from gannet.portal import api_first_answers as first_answers
from gannet.portal import api_planned as planned
from gannet.problems import api as problems
from gannet.reports import api as reports
from gannet.reports import api_freezing as freezing
from gannet.reports import api_outlook as outlook
from gannet.reports import api_sharing as sharing
from gannet.requests import api as catalogue
from gannet.services import api as services
from gannet.staffing import api as staffing
from gannet.tickets import api as tickets
from gannet.tickets.api import approvals
from gannet.trials import api as trials
from gannet.upkeep import api as knowledge
from gannet.upkeep import api_rules as article_rules
from gannet.upkeep import api_writing as writing
from gannet.web import views

handler400 = "gannet.web.views.bad_request"
handler500 = "gannet.web.views.server_error"
urlpatterns = [
    path("api/schema", views.SchemaView.as_view(), name="schema"),
    *people.urlpatterns,
    *tickets.urlpatterns,
    *catalogue.urlpatterns,
    *approvals.urlpatterns,
    *knowledge.urlpatterns,
    *article_rules.urlpatterns,
    *writing.urlpatterns,
    *announcements.urlpatterns,
    *messages.urlpatterns,
    *problems.urlpatterns,
    *majors.urlpatterns,
    *cab.urlpatterns,
    *calendars.urlpatterns,
    *releases.urlpatterns,
    *planned.urlpatterns,
    *changes.urlpatterns,
    *outlook.urlpatterns,
    *freezing.urlpatterns,
    *reports.urlpatterns,
    *sharing.urlpatterns,
    *services.urlpatterns,
    *trials.urlpatterns,
    *staffing.urlpatterns,
    *oncall.urlpatterns,
    *portal.urlpatterns,
    *answers.urlpatterns,
    *first_answers.urlpatterns,
    path("files/<str:key>", linked_file),
    path("standin/hooks", receive),
    re_path(r"^api/(?P<rest>.*)$", views.api_not_found),
    re_path(r"^(?!assets/|static/).*$", views.index, name="index"),
]
