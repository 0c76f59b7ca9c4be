from django.urls import path

from hermotrope.shelf import views

urlpatterns = [
    path("", views.shelf, name="shelf"),
    path("label/", views.label, name="label"),
    path("add/", views.add, name="shelf-add"),
    path("step/", views.step, name="shelf-step"),
    path("several/", views.several, name="shelf-several"),
    path("<int:pk>/", views.item, name="shelf-item"),
    path("<int:pk>/part/", views.set_part, name="shelf-part"),
    path("<int:pk>/try/", views.trial, name="shelf-try"),
    path("<int:pk>/set/", views.set_field, name="shelf-set"),
    path("<int:pk>/remove/", views.remove, name="shelf-remove"),
    path("shelf.csv", views.export_csv, name="shelf-csv"),
    path("shelf.json", views.export_json, name="shelf-json"),
    path("import/", views.preview, name="shelf-import"),
    path("import/<int:pk>/read/", views.read_on, name="shelf-read"),
    path("import/<int:pk>/", views.decide, name="shelf-decide"),
]
