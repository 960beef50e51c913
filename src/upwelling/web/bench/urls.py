from django.urls import path

from upwelling.web.bench import views

urlpatterns = [
    path("p/<slug:slug>/bench/<int:pk>/", views.bench, name="bench"),
    path("p/<slug:slug>/bench/<int:pk>/preview/", views.preview_of, name="preview"),
    path("p/<slug:slug>/bench/<int:pk>/save/", views.save, name="save"),
    path("p/<slug:slug>/bench/<int:pk>/undo/", views.undo, name="undo"),
    path("p/<slug:slug>/bench/<int:pk>/redo/", views.redo, name="redo"),
    path("p/<slug:slug>/bench/<int:pk>/tone/", views.tone, name="tone"),
    path("p/<slug:slug>/bench/<int:pk>/stand/", views.stand, name="stand"),
]
