from django.urls import path

from upwelling.web.bench import (
    camera_match_views,
    follow_views,
    mark_views,
    match_views,
    motion_views,
    share_views,
    solve_views,
    strip,
    views,
)

BENCH = "p/<slug:slug>/bench/<int:pk>/"
urlpatterns = [
    path(BENCH, views.bench, name="bench"),
    path(BENCH + "preview/", views.preview_of, name="preview"),
    path(BENCH + "save/", views.save, name="save"),
    path(BENCH + "undo/", views.undo, name="undo"),
    path(BENCH + "redo/", views.redo, name="redo"),
    path(BENCH + "tone/", views.tone, name="tone"),
    path(BENCH + "stand/", views.stand, name="stand"),
    path(BENCH + "marks/", mark_views.marks, name="marks"),
    path(BENCH + "marks/change/", mark_views.change_marks, name="change-marks"),
    path(BENCH + "marks/<int:mark>/thumbnail/", mark_views.mark_thumbnail, name="mark-thumbnail"),
    path(BENCH + "history/", mark_views.history, name="history"),
    path(BENCH + "neutral/", solve_views.neutral, name="neutral"),
    path(BENCH + "colour-range/", solve_views.colour_range, name="colour-range"),
    path(BENCH + "curve/", solve_views.curve_line, name="curve"),
    path(BENCH + "follow/", follow_views.follow, name="follow"),
    path(BENCH + "match/", match_views.match, name="match"),
    path("p/<slug:slug>/cameras/<int:pk>/match/", camera_match_views.match_camera, name="match-camera"),
    path(BENCH + "match/give/", match_views.give, name="give-match"),
    path(BENCH + "filmstrip/", motion_views.filmstrip, name="filmstrip"),
    path(BENCH + "motion/", motion_views.motion, name="motion"),
    path(BENCH + "strip/", strip.strip, name="strip"),
    path(BENCH + "share/", share_views.share, name="share"),
    path(BENCH + "share/give/", share_views.give, name="give"),
    path(BENCH + "share/<int:change>/take-back/", share_views.take_back, name="take-back"),
]
