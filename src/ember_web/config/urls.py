"""All addresses. Everything of a kitchen stands under /k/<kitchen>/."""

from django.contrib.auth import views as auth
from django.urls import include, path

from ember_web.api.routes import api
from ember_web.kitchens import kitchen_page, people_page
from ember_web.kitchens import views as kitchens
from ember_web.ui.words import Words

urlpatterns = [
    path("", kitchens.home, name="home"),
    path("healthz", kitchens.healthz, name="healthz"),
    path("readyz", kitchens.readyz, name="readyz"),
    path(
        "sign-in/",
        auth.LoginView.as_view(template_name="ui/sign_in.html", redirect_authenticated_user=True),
        name="sign-in",
    ),
    path("words/<slug:language>.js", Words.as_view(), name="words"),
    path("password/<str:token>/", people_page.password_link, name="password-link"),
    path("sign-out/", auth.LogoutView.as_view(), name="sign-out"),
    path("api/v1/", api.urls),
    path(
        "k/<slug:kitchen>/",
        include(
            [
                path("", kitchens.kitchen_home, name="kitchen"),
                path("clock/", kitchens.clock, name="clock"),
                path("tour/", kitchens.tour, name="tour"),
                path("kitchen/", kitchen_page.page, name="kitchen-page"),
                path("kitchen/place/", kitchen_page.place, name="kitchen-place"),
                path("kitchen/gear/", kitchen_page.gear, name="kitchen-gear"),
                path("kitchen/service/", kitchen_page.service, name="kitchen-service"),
                path("kitchen/station/", kitchen_page.station, name="kitchen-station"),
                path("kitchen/another/", kitchen_page.open_another_kitchen, name="kitchen-another"),
                path("kitchen/people/", people_page.people, name="kitchen-people"),
                path("kitchen/person/", people_page.person, name="kitchen-person"),
                path("kitchen/trail/", people_page.trail, name="kitchen-trail"),
                path("preferences/password/", people_page.password, name="password"),
                path("preferences/", kitchens.preferences, name="preferences"),
                path("plan/", include("ember_web.plans.urls")),
                path("eggs/", include("ember_web.eggs.urls")),
                path("book/", include("ember_web.book.urls")),
                path("line/", include("ember_web.line.urls")),
                path("log/", include("ember_web.logbook.urls")),
            ]
        ),
    ),
]

handler400 = "ember_web.ui.errors.bad_request"
handler403 = "ember_web.ui.errors.forbidden"
handler404 = "ember_web.ui.errors.not_found"
handler500 = "ember_web.ui.errors.server_error"
