from django.urls import path

from upwelling.web.matches import views

AT = "p/<slug:slug>/match/"
urlpatterns = [
    path(AT, views.begin, name="match-many"),
    path(AT + "<int:pk>/", views.run_page, name="match-run"),
    path(AT + "<int:pk>/accept/", views.accept_chosen, name="accept-matches"),
    path(AT + "<int:pk>/take-back/<int:change>/", views.take_back, name="take-matches-back"),
    path(AT + "<int:pk>/pictures/<int:proposal>/", views.picture, name="match-picture"),
]
