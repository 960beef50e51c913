from django.urls import path

from upwelling.web.care import remark_views, views

urlpatterns = [
    path("p/<slug:slug>/about/", views.about, name="about"),
    path("p/<slug:slug>/copy/", views.copy, name="copy"),
    path("p/<slug:slug>/remarks/", remark_views.remarks, name="remarks"),
    path("p/<slug:slug>/remarks/say/", remark_views.remark, name="remark"),
    path("p/<slug:slug>/handover/", views.handover, name="handover"),
    path("p/<slug:slug>/handover/file/", views.handover_file, name="handover-file"),
]
