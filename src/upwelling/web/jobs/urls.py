from django.urls import path

from upwelling.web.jobs import views

urlpatterns = [path("<int:pk>/", views.state, name="job"), path("<int:pk>/cancel/", views.cancel, name="job-cancel")]
