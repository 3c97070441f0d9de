"""Addresses of Log."""

from django.urls import path

from ember_web.logbook import views

urlpatterns = [
    path("", views.listing, name="log"),
    path("<slug:record>/", views.detail, name="record"),
    path("<slug:record>/csv/", views.as_csv, name="record-csv"),
    path("<slug:record>/json/", views.as_json, name="record-json"),
]
