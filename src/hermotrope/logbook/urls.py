from django.urls import path

from hermotrope.logbook import views

urlpatterns = [
    path("", views.logbook, name="logbook"),
    path("life/", views.pack_life, name="logbook-life"),
    path("write/", views.write, name="logbook-write"),
    path("<int:pk>/remove/", views.remove, name="logbook-remove"),
    path("<int:pk>/picture/", views.picture, name="logbook-picture"),
    path("logbook.json", views.as_json, name="logbook-json"),
    path("logbook.csv", views.as_csv, name="logbook-csv"),
    path("charges.ics", views.reminders, name="logbook-charges"),
]
