from django.urls import path

from hermotrope.bench.views import bench, changes, feed, intake

urlpatterns = [
    path("", bench.bench, name="bench"),
    path("new/", bench.new, name="new"),
    path("import/", bench.import_case, name="import"),
    path("c/<int:pk>/", feed.feed, name="feed"),
    path("c/<int:pk>/case.json", feed.export, name="export"),
    path("c/<int:pk>/working/<slug:what>/", feed.working, name="working"),
    path("c/<int:pk>/set/", changes.set_field, name="set"),
    path("c/<int:pk>/cure/", changes.cure, name="cure"),
    path("c/<int:pk>/accept/", changes.accept, name="accept"),
    path("c/<int:pk>/pack/", changes.choose_pack, name="pack"),
    path("c/<int:pk>/stage/", changes.change_stage, name="stage"),
    path("c/<int:pk>/mode/", changes.change_mode, name="mode"),
    path("c/<int:pk>/duty/", changes.change_duty, name="duty"),
    path("c/<int:pk>/intake/", intake.intake, name="intake"),
    path("c/<int:pk>/polarity/", intake.polarity, name="polarity"),
    path("c/<int:pk>/measure/<slug:key>/", intake.measure, name="measure"),
    path("c/<int:pk>/step/", changes.step, name="step"),
    path("c/<int:pk>/done/", changes.done, name="done"),
    path("c/<int:pk>/remove/", changes.remove, name="remove"),
]
