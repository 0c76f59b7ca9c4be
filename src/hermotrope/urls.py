from django.urls import include, path

from hermotrope.making.urls import made_urls, measured_urls

urlpatterns = [
    path("phones/", include("hermotrope.phones.urls")),
    path("drill/", include("hermotrope.drill.urls")),
    path("logbook/", include("hermotrope.logbook.urls")),
    path("outings/", include("hermotrope.outing.urls")),
    path("shelf/measured/", include(measured_urls)),
    path("c/<int:pk>/made/", include(made_urls)),
    path("shelf/", include("hermotrope.shelf.urls")),
    path("c/<int:pk>/", include("hermotrope.proving.urls")),
    path("", include("hermotrope.bench.urls")),
]
handler400 = "hermotrope.bench.views.errors.unread"
handler404 = "hermotrope.bench.views.errors.not_found"
handler500 = "hermotrope.bench.views.errors.broken"
