"""Addresses of Plan."""

from django.urls import path

from ember_web.plans import comparing, drafting, files, listing, questions, times, views

urlpatterns = [
    path("", views.new, name="plan"),
    path("quick/", views.quick, name="plan-quick"),
    path("forecast/", views.forecast_part, name="plan-forecast"),
    path("schools/", comparing.side_by_side, name="plan-schools"),
    path("schools/doubt/", comparing.doubt, name="plan-doubt"),
    path("what-if/", questions.what_if, name="plan-what-if"),
    path("to-meet/", questions.to_meet, name="plan-to-meet"),
    path("thumb/", questions.thumb, name="plan-thumb"),
    path("times/", times.ask, name="plan-times"),
    path("times/<slug:job>/", times.show, name="plan-times-of"),
    path("times/<slug:job>/cancel/", times.cancel, name="plan-times-cancel"),
    path("times/<slug:job>/file/", times.as_csv, name="plan-times-file"),
    path("list/", listing.listing, name="plans"),
    path("papers/", listing.papers, name="plan-papers"),
    path("summaries/", listing.summaries, name="plan-summaries"),
    path("arrange/", listing.arrange, name="plan-arrange"),
    path("save/", views.save, name="plan-save"),
    path("import/", files.import_file, name="plan-import"),
    path("draft/", drafting.draft, name="plan-draft"),
    path("undo/", drafting.undo, name="plan-undo"),
    path("<slug:plan>/earlier/", drafting.earlier, name="plan-earlier"),
    path("<slug:plan>/restore/", drafting.restore, name="plan-restore"),
    path("<slug:plan>/", views.saved, name="plan-saved"),
    path("<slug:plan>/recipe/", listing.recipe_of, name="plan-recipe"),
    path("<slug:plan>/file/", files.export, name="plan-export"),
]
