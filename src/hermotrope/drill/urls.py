from django.urls import path

from hermotrope.drill import views

urlpatterns = [
    path("", views.drill, name="drill"),
    path("begin/", views.begin, name="drill-begin"),
    path("<int:pk>/", views.attempt, name="drill-attempt"),
    path("<int:pk>/probe/", views.probe, name="drill-probe"),
    path("<int:pk>/name/", views.name, name="drill-name"),
    path("<int:pk>/power/", views.power, name="drill-power"),
]
