from django.urls import include, path

urlpatterns = [
    path("outings/", include("hermotrope.outing.urls")),
    path("shelf/", include("hermotrope.shelf.urls")),
    path("c/<int:pk>/", include("hermotrope.proving.urls")),
    path("", include("hermotrope.bench.urls")),
]
handler404 = "hermotrope.bench.views.errors.not_found"
handler500 = "hermotrope.bench.views.errors.broken"
