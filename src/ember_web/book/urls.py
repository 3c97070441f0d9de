"""Addresses of Book."""

from django.urls import path

from ember_web.book import views

urlpatterns = [
    path("", views.listing, name="book"),
    path("new/", views.new, name="book-food-new"),
    path("rules/", views.rules, name="book-rules"),
    path("<slug:food>/", views.edit, name="book-food"),
    path("<slug:food>/remove/", views.remove, name="book-food-remove"),
]
