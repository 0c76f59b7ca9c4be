from django.urls import path

from hermotrope.phones import views

urlpatterns = [
    path("", views.share, name="phones"),
    path("now/", views.listed, name="phones-list"),
    path("code/", views.code, name="phones-code"),
    path("<int:pk>/set/", views.change, name="phones-set"),
    path("<int:pk>/end/", views.end, name="phones-end"),
]
