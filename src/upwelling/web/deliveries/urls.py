from django.urls import path

from upwelling.web.deliveries import queue_views, views

AT = "p/<slug:slug>/deliveries/"
urlpatterns = [
    path("queue/", queue_views.show, name="queue"),
    path("queue/rows/", queue_views.rows, name="queue-rows"),
    path("queue/<int:pk>/<slug:what>/", queue_views.change, name="change-job"),
    path(AT, views.deliveries, name="deliveries"),
    path(AT + "new/", views.setup, name="order-delivery"),
    path(AT + "plan/", views.plan, name="plan-delivery"),
    path("p/<slug:slug>/cuts/<int:pk>/relinked.<str:kind>", views.relink, name="relink-cut"),
    path(AT + "presets/", views.presets, name="own-forms"),
    path(AT + "came-back/", views.came_back, name="came-back"),
    path(AT + "<int:pk>/", views.proof, name="delivery"),
    path(AT + "<int:pk>/file/", views.download, name="delivery-file"),
    path(AT + "<int:pk>/proof.json", views.proof_json, name="delivery-proof"),
    path(AT + "<int:pk>/order.json", views.order_json, name="delivery-order"),
    path(AT + "<int:pk>/change/", views.change, name="change-delivery"),
]
