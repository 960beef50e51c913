from django.urls import path

from upwelling.web.care import help_views, overview, remark_views, views
from upwelling.web.care.guide import document, guide

urlpatterns = [
    path("help/", help_views.help_index, name="help"),
    path("help/picture/<str:name>", help_views.help_picture, name="help-picture"),
    path("help/documents/<slug:name>/", help_views.help_page, {"find": document}, name="help-document"),
    path("help/<slug:name>/", help_views.help_page, {"find": guide}, name="help-page"),
    path("p/<slug:slug>/", overview.overview, name="production"),
    path("p/<slug:slug>/first-steps/", overview.put_away, name="first-steps"),
    path("p/<slug:slug>/rules/touches/", overview.rule_touches, name="rule-touches"),
    path("p/<slug:slug>/about/", views.about, name="about"),
    path("p/<slug:slug>/copy/", views.copy, name="copy"),
    path("p/<slug:slug>/remarks/", remark_views.remarks, name="remarks"),
    path("p/<slug:slug>/remarks/say/", remark_views.remark, name="remark"),
    path("p/<slug:slug>/handover/", views.handover, name="handover"),
    path("p/<slug:slug>/handover/file/", views.handover_file, name="handover-file"),
]
