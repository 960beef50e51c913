from django.urls import path

from upwelling.web.luts import views

LUT = "p/<slug:slug>/luts/<int:pk>/"
urlpatterns = [
    path("p/<slug:slug>/luts/recover/", views.recover, name="recover-lut"),
    path("p/<slug:slug>/luts/bring-in/", views.bring_in, name="bring-in-lut"),
    path(LUT, views.inspector, name="lut"),
    path(LUT + "declare/", views.declare_spaces, name="declare-lut"),
    path(LUT + "use/", views.use, name="use-lut"),
    path(LUT + "remove/", views.remove, name="remove-lut"),
    path(LUT + "file/", views.download, name="lut-file"),
]
