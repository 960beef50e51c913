from django.urls import path

from upwelling.web.productions import own_encodings, people_views, views

urlpatterns = [
    path("", views.productions, name="productions"),
    path("p/<slug:slug>/people/", people_views.people, name="people"),
    path("p/<slug:slug>/record/", people_views.record, name="record"),
    path("p/<slug:slug>/rules/", views.rules, name="rules"),
    path("p/<slug:slug>/rules/back/", views.rules_back, name="rules-back"),
    path("p/<slug:slug>/numbers-seen/", views.numbers_seen, name="numbers-seen"),
    path("p/<slug:slug>/encodings/", own_encodings.own_encodings, name="own-encodings"),
    path("p/<slug:slug>/encodings/<int:pk>/remove/", own_encodings.remove, name="remove-encoding"),
]
