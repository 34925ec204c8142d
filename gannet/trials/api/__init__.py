"""The rulebook's API: editions and draft, trying out, words and calendars."""

from django.urls import path

from gannet.trials.api import computing, editions, offers, trying, words

urlpatterns = [
    path("api/rulebook", editions.RulebookView.as_view()),
    path("api/rulebook/documents/<str:which>", editions.DocumentView.as_view()),
    path("api/rulebook/export/<str:which>", editions.ExportView.as_view()),
    path("api/rulebook/differences", editions.DifferencesView.as_view()),
    path("api/rulebook/schema", editions.SchemaView.as_view()),
    path("api/rulebook/draft", editions.DraftView.as_view()),
    path("api/rulebook/draft/edits", editions.EditsView.as_view()),
    path("api/rulebook/draft/many-edits", editions.ManyEditsView.as_view()),
    path("api/rulebook/entries/<str:which>", editions.EntriesView.as_view()),
    path("api/rulebook/entry-history", editions.EntryHistoryView.as_view()),
    path("api/rulebook/draft/undo", editions.UndoView.as_view()),
    path("api/rulebook/draft/review", editions.ReviewView.as_view()),
    path("api/rulebook/draft/publish", editions.PublishView.as_view()),
    path("api/rulebook/draft/import", editions.ImportView.as_view()),
    path("api/rulebook/editions/<number:number>/restore", editions.RestoreView.as_view()),
    path("api/rulebook/editions/<number:number>", editions.EditionView.as_view()),
    path("api/rulebook/try", trying.TryView.as_view()),
    path("api/rulebook/examples/<number:number>", trying.FromTicketView.as_view()),
    path("api/rulebook/rehearsals", trying.RehearsalsView.as_view()),
    path("api/rulebook/rehearsals/<number:number>", trying.RehearsalView.as_view()),
    path("api/rulebook/jobs", trying.JobsView.as_view()),
    path("api/rulebook/jobs/<number:number>", trying.JobView.as_view()),
    path("api/rulebook/preview-message", trying.PreviewMessageView.as_view()),
    path("api/rulebook/preview-form", trying.PreviewFormView.as_view()),
    path("api/rulebook/computed/fields", computing.ReadableFieldsView.as_view()),
    path("api/rulebook/computed/try", computing.TryExpressionView.as_view()),
    path("api/rulebook/hooks", trying.HooksView.as_view()),
    path("api/rulebook/words", words.VocabularyView.as_view()),
    path("api/rulebook/task-plan", words.TaskPlanView.as_view()),
    path("api/rulebook/route-ends", words.RouteEndsView.as_view()),
    path("api/rulebook/calculate", words.CalculateView.as_view()),
    path("api/rulebook/year", words.YearView.as_view()),
    path("api/rulebook/countries", words.CountriesView.as_view()),
    path("api/rulebook/holidays", words.HolidaysView.as_view()),
    path("api/rulebook/offers/<slug:key>/look", offers.LookAtDraftView.as_view()),
]
