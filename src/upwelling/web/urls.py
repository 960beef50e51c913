"""Addresses of the application."""

from django.contrib.auth import views as auth
from django.urls import include, path

from upwelling.web.common.access import anybody, signed_in
from upwelling.web.productions import people_views
from upwelling.web.productions.views import OwnPassword

urlpatterns = [
    path("sign-in/", anybody(auth.LoginView.as_view(redirect_authenticated_user=True)), name="login"),
    path("password/", signed_in(OwnPassword.as_view()), name="password"),
    path("sessions/", people_views.own_sessions, name="own-sessions"),
    path("accounts/", people_views.accounts_page, name="accounts"),
    path("accounts/change/", people_views.change_accounts, name="change-accounts"),
    path("invitation/<uidb64>/<token>/", anybody(people_views.Invitation.as_view()), name="invitation"),
    path("sign-out/", anybody(auth.LogoutView.as_view()), name="logout"),
    path("encodings/", include("upwelling.web.encodings.urls")),
    path("jobs/", include("upwelling.web.jobs.urls")),
    path("", include("upwelling.web.productions.urls")),
    path("", include("upwelling.web.footage.urls")),
    path("", include("upwelling.web.luts.urls")),
    path("", include("upwelling.web.looks.urls")),
    path("", include("upwelling.web.cuts.urls")),
    path("", include("upwelling.web.matches.urls")),
    path("", include("upwelling.web.measuring.urls")),
    path("", include("upwelling.web.outputs.urls")),
    path("", include("upwelling.web.bench.urls")),
    path("", include("upwelling.web.wall.urls")),
    path("", include("upwelling.web.bakes.urls")),
    path("", include("upwelling.web.deliveries.urls")),
    path("", include("upwelling.web.showings.urls")),
    path("", include("upwelling.web.care.urls")),
]
handler400 = "upwelling.web.common.errors.bad_request"
handler403 = "upwelling.web.common.errors.forbidden"
handler404 = "upwelling.web.common.errors.not_found"
handler500 = "upwelling.web.common.errors.failed"
