"""Addresses of tickets."""

from django.urls import path

from gannet.tickets.api import choices, desk, lists, portal, records

urlpatterns = [
    path("api/lookout", lists.LookoutView.as_view()),
    path("api/tickets", lists.TicketsView.as_view()),
    path("api/tickets/figures", lists.FiguresView.as_view()),
    path("api/fields", lists.FieldsView.as_view()),
    path("api/find", lists.FindView.as_view()),
    path("api/calendars", lists.CalendarsView.as_view()),
    path("api/choices", choices.ChoicesView.as_view()),
    path("api/items", choices.ItemsView.as_view()),
    path("api/tickets/<int:number>", records.TicketView.as_view()),
    path("api/tickets/<int:number>/why", records.WhyView.as_view()),
    path("api/tickets/<int:number>/presence", records.PresenceView.as_view()),
    *[
        path(f"api/tickets/<int:number>/{name}", view.as_view())
        for name, view in records.ACT_VIEWS.items()
    ],
    path("api/tickets/<int:number>/tasks/<int:task>", desk.TaskView.as_view()),
    path("api/forms", desk.FormView.as_view()),
    path("api/starters", desk.OwnStartersView.as_view()),
    path("api/drafts/<str:place>", records.DraftView.as_view()),
    path("api/attachments", records.AttachmentsView.as_view()),
    path("api/attachments/<uuid:key>", records.AttachmentView.as_view()),
    path("api/portal", portal.HomeView.as_view()),
    path("api/portal/offers", portal.OffersView.as_view()),
    path("api/portal/report", portal.ReportView.as_view()),
    path("api/portal/tickets/<int:number>", portal.MyTicketView.as_view()),
    path("api/portal/tickets/<int:number>/write", portal.WriteView.as_view()),
    path("api/portal/tickets/<int:number>/reopen", portal.ReopenView.as_view()),
    path("api/portal/tickets/<int:number>/cancel", portal.CancelView.as_view()),
]
