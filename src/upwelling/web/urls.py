"""Addresses of the application."""

from django.contrib.auth import views as auth
from django.urls import include, path

urlpatterns = [
    path("sign-in/", auth.LoginView.as_view(redirect_authenticated_user=True), name="login"),
    path("sign-out/", auth.LogoutView.as_view(), name="logout"),
    path("encodings/", include("upwelling.web.encodings.urls")),
    path("jobs/", include("upwelling.web.jobs.urls")),
    path("", include("upwelling.web.productions.urls")),
    path("", include("upwelling.web.footage.urls")),
    path("", include("upwelling.web.luts.urls")),
    path("", include("upwelling.web.looks.urls")),
    path("", include("upwelling.web.outputs.urls")),
    path("", include("upwelling.web.bench.urls")),
    path("", include("upwelling.web.bakes.urls")),
]
handler403 = "upwelling.web.errors.forbidden"
handler404 = "upwelling.web.errors.not_found"
handler500 = "upwelling.web.errors.failed"
