from django.urls import path

from upwelling.web.care import views

urlpatterns = [
    path("p/<slug:slug>/about/", views.about, name="about"),
    path("p/<slug:slug>/copy/", views.copy, name="copy"),
    path("p/<slug:slug>/notes/", views.notes, name="notes"),
    path("p/<slug:slug>/handover/", views.handover, name="handover"),
    path("p/<slug:slug>/handover/file/", views.handover_file, name="handover-file"),
]
