from django.urls import path

from hermotrope.bench.views import bench, changes, feed, inlets, intake, match

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
    path("c/<int:pk>/reading/", intake.mode_from_reading, name="reading"),
    path("c/<int:pk>/polarity/", inlets.polarity, name="polarity"),
    path("c/<int:pk>/pins/", inlets.pins, name="pins"),
    path("c/<int:pk>/bay/", inlets.bay, name="bay"),
    path("c/<int:pk>/bay.html", inlets.bay_sheet, name="bay-sheet"),
    path("c/<int:pk>/port/", inlets.port, name="port"),
    path("c/<int:pk>/measure/<slug:key>/", intake.measure, name="measure"),
    path("c/<int:pk>/ways/", match.ways, name="ways"),
    path("c/<int:pk>/ways/stop/", match.stop, name="ways-stop"),
    path("c/<int:pk>/ways/<slug:way>/", match.why, name="way"),
    path("c/<int:pk>/take/", match.take, name="take"),
    path("c/<int:pk>/step/", changes.step, name="step"),
    path("c/<int:pk>/done/", changes.done, name="done"),
    path("c/<int:pk>/remove/", changes.remove, name="remove"),
]
