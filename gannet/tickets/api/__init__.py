"""Addresses of tickets."""

from django.urls import path

from gannet.tickets.api import (
    alerts,
    choices,
    desk,
    exports,
    importing,
    lists,
    mass,
    prepared,
    record_parts,
    records,
    views,
)

urlpatterns = [
    path("api/lookout", lists.LookoutView.as_view()),
    path("api/lookout/<number:team>", lists.TeamLookoutView.as_view()),
    path("api/tickets", lists.TicketsView.as_view()),
    path("api/tickets/figures", lists.FiguresView.as_view()),
    path("api/tickets/groups", lists.GroupsView.as_view()),
    path("api/tickets/touched", lists.TouchedView.as_view()),
    path("api/exports", exports.ExportsView.as_view()),
    path("api/exports/<number:number>", exports.ExportView.as_view()),
    path("api/exports/<number:number>/file", exports.ExportFileView.as_view()),
    path("api/tickets/many", mass.ManyView.as_view()),
    path("api/tickets/many/preview", mass.PreviewManyView.as_view()),
    path("api/tickets/many/<number:number>", mass.OneManyView.as_view()),
    path("api/imports", importing.ImportsView.as_view()),
    path("api/imports/kinds", importing.ImportKindsView.as_view()),
    path("api/imports/<number:number>", importing.ImportView.as_view()),
    path("api/alerts", alerts.AlertsView.as_view()),
    path("api/views", views.ViewsView.as_view()),
    path("api/views/<number:number>", views.OneViewView.as_view()),
    path("api/views/<number:number>/pin", views.PinView.as_view()),
    path("api/views/<number:number>/first", views.TeamDefaultView.as_view()),
    path("api/fields", lists.FieldsView.as_view()),
    path("api/find", lists.FindView.as_view()),
    path("api/calendars", lists.CalendarsView.as_view()),
    path("api/choices", choices.ChoicesView.as_view()),
    path("api/items", choices.ItemsView.as_view()),
    path("api/tickets/<number:number>", records.TicketView.as_view()),
    path("api/tickets/<number:number>/why", records.WhyView.as_view()),
    path("api/tickets/<number:number>/presence", records.PresenceView.as_view()),
    *[
        path(f"api/tickets/<number:number>/{name}", view.as_view())
        for name, view in records.ACT_VIEWS.items()
    ],
    path("api/tickets/<number:number>/acts/<slug:name>", records.AnyActView.as_view()),
    path("api/tickets/<number:number>/tasks/<number:task>", record_parts.TaskView.as_view()),
    path("api/tickets/<number:number>/time/<number:entry>", record_parts.DropTimeView.as_view()),
    path("api/tickets/<number:number>/links/<number:link>", record_parts.UnlinkView.as_view()),
    path(
        "api/tickets/<number:number>/outward/<number:outward>/end",
        record_parts.EndRemoteView.as_view(),
    ),
    path(
        "api/tickets/<number:number>/events/<number:event>/redact",
        record_parts.RedactTextView.as_view(),
    ),
    path(
        "api/tickets/<number:number>/files/<uuid:key>/redact", record_parts.RedactFileView.as_view()
    ),
    path("api/tickets/<number:number>/help", record_parts.HelpView.as_view()),
    path("api/tickets/<number:number>/mark", record_parts.MarkView.as_view()),
    path("api/tickets/<number:number>/reminders", record_parts.RemindView.as_view()),
    path("api/reminders", record_parts.RemindersView.as_view()),
    path("api/reminders/<number:reminder>", record_parts.ReminderView.as_view()),
    path("api/approvals", record_parts.ApprovalsView.as_view()),
    path("api/approvals/<number:approval>", record_parts.DecideView.as_view()),
    path("api/tickets/<number:number>/phrases", prepared.FilledPhrasesView.as_view()),
    path(
        "api/tickets/<number:number>/routines/<number:routine>", prepared.RunRoutineView.as_view()
    ),
    path("api/phrases", prepared.PhrasesView.as_view()),
    path("api/phrases/<number:number>", prepared.PhraseView.as_view()),
    path("api/routines", prepared.RoutinesView.as_view()),
    path("api/routines/<number:number>", prepared.RoutineView.as_view()),
    path("api/survey-questions", prepared.SurveysView.as_view()),
    path("api/survey-questions/<number:number>", prepared.SurveyQuestionsView.as_view()),
    path("api/hints", prepared.HintsView.as_view()),
    path("api/hints/<number:number>", prepared.HintView.as_view()),
    path("api/runbooks", record_parts.RunbooksView.as_view()),
    path("api/forms", desk.FormView.as_view()),
    path("api/starters", desk.OwnStartersView.as_view()),
    path("api/drafts/<str:place>", records.DraftView.as_view()),
    path("api/attachments", records.AttachmentsView.as_view()),
    path("api/attachments/<uuid:key>", records.AttachmentView.as_view()),
]
