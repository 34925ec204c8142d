"""All addresses: the API, and one page for everything else."""

from django.urls import path, re_path

from gannet.catalogue import api as catalogue
from gannet.catalogue import api_approvals as approvals
from gannet.knowledge import api as knowledge
from gannet.knowledge import api_announcements as announcements
from gannet.messages import api as messages
from gannet.messages.receiver import receive
from gannet.people import api as people
from gannet.reports import api as reports
from gannet.rulebook import api as rulebook
from gannet.tickets import api as tickets
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
    *announcements.urlpatterns,
    *messages.urlpatterns,
    *reports.urlpatterns,
    *rulebook.urlpatterns,
    path("standin/hooks", receive),
    re_path(r"^api/(?P<rest>.*)$", views.api_not_found),
    re_path(r"^(?!assets/|static/).*$", views.index, name="index"),
]
