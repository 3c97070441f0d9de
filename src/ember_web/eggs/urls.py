"""Addresses of Eggs."""

from django.urls import path

from ember_web.eggs import opened, serving, views

urlpatterns = [
    path("", views.page, name="eggs"),
    path("map/", views.map_part, name="eggs-map"),
    path("where/", views.where_part, name="eggs-where"),
    path("sizes/", views.sizes_part, name="eggs-sizes"),
    path("pairs/", views.pairs_part, name="eggs-pairs"),
    path("keep/", views.keep, name="eggs-keep"),
    path("breakfast/", serving.breakfast, name="eggs-breakfast"),
    path("breakfast/keep/", serving.keep_all, name="eggs-keep-all"),
    path("open/<slug:what>/", opened.opened, name="eggs-open"),
    path("open/<slug:what>/keep/", opened.keep_opened, name="eggs-open-keep"),
]
