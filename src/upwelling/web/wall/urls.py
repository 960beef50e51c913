from django.urls import path

from upwelling.web.wall import change_views, joins, views

AT = "p/<slug:slug>/wall/"
PICTURES = AT + "pictures/<int:pk>/<int:frame>/<slug:key>/"
urlpatterns = [
    path(AT, views.wall, name="wall"),
    path(AT + "tiles/", views.tiles, name="wall-tiles"),
    path(AT + "ready/", views.ready, name="wall-ready"),
    path(PICTURES + "picture/", views.picture, name="wall-picture"),
    path(PICTURES + "parade/", views.parade, name="wall-parade"),
    path("p/<slug:slug>/cuts/<int:pk>/joins/", joins.joins, name="cut-joins"),
    path(AT + "sheet/", views.sheet, name="wall-sheet"),
    path(AT + "try/", change_views.attempt, name="wall-try"),
    path(AT + "move/", change_views.move_chosen, name="wall-move"),
    path(AT + "match/", change_views.match, name="wall-match"),
    path(AT + "proposed/", change_views.proposed, name="wall-proposed"),
    path(AT + "accept/", change_views.accept, name="wall-accept"),
    path(AT + "back/", change_views.back, name="wall-back"),
]
