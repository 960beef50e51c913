from django.urls import path

from upwelling.web.bakes import cdl_views, list_views, package_views, setup_views, views

BAKES = "p/<slug:slug>/bakes/"
urlpatterns = [
    path(BAKES, views.bakes, name="bakes"),
    path(BAKES + "tolerances/", views.tolerances, name="tolerances"),
    path(BAKES + "of/<int:pk>/", setup_views.setup, name="bake-setup"),
    path(BAKES + "of/<int:pk>/check/", setup_views.check, name="bake-check"),
    path(BAKES + "of/<int:pk>/smallest/", setup_views.smallest, name="bake-solve"),
    path(BAKES + "of/<int:pk>/start/", setup_views.start, name="bake-start"),
    path(BAKES + "receivers/", package_views.receivers, name="receivers"),
    path(BAKES + "receivers/define/", package_views.define, name="define-receiver"),
    path(BAKES + "receivers/<int:pk>/remove/", package_views.remove_receiver, name="remove-receiver"),
    path(BAKES + "list/", list_views.list_setup, name="bake-list"),
    path(BAKES + "list/plan/", list_views.list_plan, name="bake-list-plan"),
    path(BAKES + "packages/start/", package_views.start, name="package-start"),
    path(BAKES + "packages/<int:pk>/", package_views.package, name="package"),
    path(BAKES + "packages/<int:pk>/again/", package_views.again, name="package-again"),
    path(BAKES + "packages/<int:pk>/zip/", package_views.download, name="package-download"),
    path(BAKES + "cdl/", cdl_views.cdl, name="cdl"),
    path(BAKES + "cdl/measure/", cdl_views.measure, name="cdl-measure"),
    path(BAKES + "cdl/file/", cdl_views.cdl_file, name="cdl-file"),
    path(BAKES + "<int:pk>/", views.certificate, name="certificate"),
    path(BAKES + "<int:pk>/remove/", views.remove, name="remove-bake"),
    path(BAKES + "<int:pk>/again/", views.repeat, name="bake-again"),
    path(BAKES + "<int:pk>/lut/", views.download, name="bake-download"),
    path(BAKES + "<int:pk>/all/", views.all_of_it, name="bake-all"),
    path(BAKES + "<int:pk>/frames/", views.download, {"frames": True}, name="bake-frames"),
    path(BAKES + "<int:pk>/certificate.json", views.certificate_json, name="certificate-json"),
    path(BAKES + "<int:pk>/recipe.json", views.recipe, name="bake-recipe"),
]
