from django.urls import path

from upwelling.web.footage import views

urlpatterns = [
    path("p/<slug:slug>/", views.overview, name="production"),
    path("p/<slug:slug>/upload/", views.upload, name="upload"),
    path("p/<slug:slug>/shots/<int:pk>/encoding/", views.settle, name="settle"),
    path("p/<slug:slug>/shots/<int:pk>/thumbnail/", views.thumbnail, name="thumbnail"),
]
