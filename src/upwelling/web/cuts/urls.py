from django.urls import path

from upwelling.web.cuts import views

AT = "p/<slug:slug>/cuts/"
urlpatterns = [
    path(AT, views.cuts, name="cuts"),
    path(AT + "<int:pk>/", views.cut_page, name="cut"),
    path(AT + "<int:pk>/play/", views.play, name="play-cut"),
    path(AT + "<int:pk>/change/", views.change, name="change-cut"),
    path(AT + "<int:pk>/events/<int:event>/", views.settle, name="settle-event"),
]
