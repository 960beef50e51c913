from django.urls import path

from upwelling.web.showings import guest_views, together_views, views

AT = "p/<slug:slug>/showings/"
HERE = "showing/<str:token>/"
urlpatterns = [
    path(AT, views.showings, name="showings"),
    path(AT + "new/", views.new, name="new-showing"),
    path(AT + "<int:pk>/", views.kept, name="showing-kept"),
    path(AT + "<int:pk>/state/", views.state, name="showing-state"),
    path(AT + "<int:pk>/together/", together_views.lead, name="showing-together"),
    path(AT + "<int:pk>/change/", views.change, name="change-showing"),
    path(HERE, guest_views.showing, name="showing"),
    path(HERE + "enter/", guest_views.enter, name="showing-enter"),
    path(HERE + "picture/<int:pk>/<slug:kind>/", guest_views.picture, name="showing-picture"),
    path(HERE + "movie/<int:pk>/", guest_views.movie, name="showing-movie"),
    path(HERE + "strip/", guest_views.strip, name="showing-strip"),
    path(HERE + "along/", together_views.along, name="showing-along"),
    path(HERE + "along/<slug:role>/<int:number>/", together_views.along_picture, name="showing-along-picture"),
    path(HERE + "remarks/", guest_views.remarks, name="showing-remarks"),
]
