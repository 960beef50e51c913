from django.urls import path

from upwelling.web.productions import views

urlpatterns = [
    path("", views.productions, name="productions"),
    path("p/<slug:slug>/rules/", views.rules, name="rules"),
]
