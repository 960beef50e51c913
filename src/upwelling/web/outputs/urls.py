from django.urls import path

from upwelling.web.outputs import light_views, monitor_views, rendering_views, views

SHOT = "p/<slug:slug>/bench/<int:pk>/"
urlpatterns = [
    path("p/<slug:slug>/outputs/", views.outputs, name="outputs"),
    path("p/<slug:slug>/outputs/deliver/", views.deliver, name="deliver"),
    path("p/<slug:slug>/outputs/rise/", views.render_by_rise, name="render-by-rise"),
    path("p/<slug:slug>/outputs/<int:pk>/remove/", views.remove, name="remove-output"),
    path(SHOT + "light-level/", light_views.light_level, name="light-level"),
    path(SHOT + "renderings/", rendering_views.renderings, name="renderings"),
    path(SHOT + "renderings/cell/", rendering_views.cell, name="rendering-cell"),
    path(SHOT + "renderings/use/", rendering_views.use, name="use-rendering"),
    path(SHOT + "monitor/", monitor_views.monitor, name="monitor"),
    path(SHOT + "monitor/look/", monitor_views.look, name="monitor-look"),
]
