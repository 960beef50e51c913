from django.urls import path

from upwelling.web.looks import layer_views, sheet_views, shelf_views, views

LOOKS = "p/<slug:slug>/looks/"
urlpatterns = [
    path(LOOKS, views.looks, name="looks"),
    path("p/<slug:slug>/layers/", layer_views.layers, name="layers"),
    path("p/<slug:slug>/layers/<int:pk>/", layer_views.layer, name="layer"),
    path("p/<slug:slug>/layers/<int:pk>/manage/", layer_views.manage_layer, name="manage-layer"),
    path("p/<slug:slug>/tables/", shelf_views.shelf, name="table-shelf"),
    path("p/<slug:slug>/tables/declare/", shelf_views.declare_many, name="declare-tables"),
    path("p/<slug:slug>/tables/<int:pk>/picture/", shelf_views.table_picture, name="table-picture"),
    path("p/<slug:slug>/tables/<int:pk>/on-shot/", shelf_views.on_shot, name="table-on-shot"),
    path(LOOKS + "new/", views.create, name="new-look"),
    path(LOOKS + "give/", views.give_all, name="give-look"),
    path(LOOKS + "sheet/", sheet_views.sheet, name="look-sheet"),
    path(LOOKS + "sheet/give/", sheet_views.give, name="sheet-give"),
    path(LOOKS + "sheet/<int:change>/take-back/", sheet_views.take_back, name="take-look-back"),
    path(LOOKS + "picture/<int:pk>/", views.picture, name="look-picture"),
    path(LOOKS + "<int:pk>/", views.look, name="look"),
    path(LOOKS + "<int:pk>/propose/", views.propose, name="propose-look"),
    path(LOOKS + "<int:pk>/touches/", views.touches, name="look-touches"),
    path(LOOKS + "<int:pk>/decide/", views.decide, name="decide-look"),
    path(LOOKS + "<int:pk>/manage/", views.manage, name="manage-look"),
    path(LOOKS + "<int:pk>/look.json", views.export, name="look-recipe"),
]
