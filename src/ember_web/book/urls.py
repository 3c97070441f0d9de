"""Addresses of Book."""

from django.urls import path

from ember_web.book import changing, foods, pages

urlpatterns = [
    path("", pages.cuts, name="book"),
    path("ways/", pages.ways, name="book-ways"),
    path("time/", pages.in_time, name="book-time"),
    path("doneness/", pages.doneness, name="book-doneness"),
    path("cuts/<slug:key>/", pages.cut, name="book-cut"),
    path("ways/<slug:key>/", pages.way, name="book-way"),
    path("change/<slug:kind>/<slug:key>/", changing.change, name="book-change"),
    path("retire/<slug:kind>/<slug:key>/", changing.retire, name="book-retire"),
    path("file/", changing.export, name="book-export"),
    path("import/", changing.import_file, name="book-import"),
    path("foods/", foods.listing, name="book-foods"),
    path("foods/new/", foods.new, name="book-food-new"),
    path("rules/", foods.rules, name="book-rules"),
    path("foods/<slug:food>/", foods.edit, name="book-food"),
    path("foods/<slug:food>/remove/", foods.remove, name="book-food-remove"),
]
