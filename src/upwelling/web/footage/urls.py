from django.urls import path

from upwelling.web.footage import alike, camera_views, correction_views, intake, split_views, views

urlpatterns = [
    path("p/<slug:slug>/", views.overview, name="production"),
    path("p/<slug:slug>/intake/", intake.intake, name="intake"),
    path("p/<slug:slug>/intake/upload/", intake.upload, name="upload"),
    path("p/<slug:slug>/intake/register/", intake.register, name="register"),
    path("p/<slug:slug>/intake/progress/", intake.progress, name="arrivals"),
    path("p/<slug:slug>/intake/torture-chart/", views.add_chart, name="torture-chart"),
    path("p/<slug:slug>/intake/dismiss/", intake.dismiss, name="dismiss"),
    path("p/<slug:slug>/intake/change/", intake.change, name="change"),
    path("p/<slug:slug>/intake/undo-removal/", intake.undo_removal, name="undo-removal"),
    path("p/<slug:slug>/intake/proposal/", intake.take_proposal, name="proposal"),
    path("p/<slug:slug>/cameras/<int:pk>/", camera_views.camera_page, name="camera"),
    path("p/<slug:slug>/cameras/<int:pk>/remove/", camera_views.remove, name="remove-camera"),
    path("p/<slug:slug>/cameras/<int:pk>/correction/", correction_views.change_correction, name="change-correction"),
    path("p/<slug:slug>/cameras/<int:pk>/correction/<str:which>/", correction_views.corrected, name="corrected"),
    path("p/<slug:slug>/shots/<int:pk>/chart/", camera_views.chart, name="chart"),
    path("p/<slug:slug>/shots/<int:pk>/chart/find/", camera_views.find_corners, name="find-chart"),
    path("p/<slug:slug>/shots/<int:pk>/chart/mark/", camera_views.mark_chart, name="mark-chart"),
    path("p/<slug:slug>/shots/<int:pk>/split/", split_views.split_page, name="split"),
    path("p/<slug:slug>/shots/<int:pk>/split/look/", split_views.look_for_cuts, name="look-for-cuts"),
    path("p/<slug:slug>/shots/<int:pk>/split/make/", split_views.make_shots, name="make-shots"),
    path("p/<slug:slug>/shots/<int:pk>/alike/", alike.alike, name="alike"),
    path("p/<slug:slug>/shots/<int:pk>/alike/picture/", alike.alike_picture, name="alike-picture"),
    path("p/<slug:slug>/shots/<int:pk>/begin-anew/", views.begin_anew, name="begin-anew"),
    path("p/<slug:slug>/shots/<int:pk>/encoding/", views.settle, name="settle"),
    path("p/<slug:slug>/shots/<int:pk>/thumbnail/", views.thumbnail, name="thumbnail"),
    path("p/<slug:slug>/shots/<int:pk>/picture/", views.picture, name="picture"),
    path("p/<slug:slug>/shots/<int:pk>/recorded/", views.thumbnail, {"recorded": True}, name="recorded"),
]
