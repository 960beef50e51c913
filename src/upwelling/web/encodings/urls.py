from django.urls import path

from upwelling.web.encodings import views

urlpatterns = [path("", views.library, name="encodings")]
