from django.urls import path

from upwelling.web.bakes import views

urlpatterns = [
    path("p/<slug:slug>/bakes/", views.bakes, name="bakes"),
    path("p/<slug:slug>/bakes/start/", views.start, name="bake-start"),
    path("p/<slug:slug>/bakes/<int:pk>/", views.certificate, name="certificate"),
    path("p/<slug:slug>/bakes/<int:pk>/lut/", views.download, name="bake-download"),
    path("p/<slug:slug>/bakes/<int:pk>/certificate.json", views.certificate_json, name="certificate-json"),
    path("p/<slug:slug>/bakes/<int:pk>/recipe.json", views.recipe, name="bake-recipe"),
]
