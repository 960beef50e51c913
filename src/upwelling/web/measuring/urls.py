from django.urls import path

from upwelling.web.measuring import views

AT = "p/<slug:slug>/measure/"
urlpatterns = [
    path(AT, views.measurements, name="measurements"),
    path(AT + "<int:pk>/", views.measurement, name="measurement"),
    path(AT + "<int:pk>/save/", views.save, name="save-measured"),
    path(AT + "<int:pk>/remove/", views.remove, name="remove-measurement"),
]
