from django.urls import path

from hermotrope.making.views import made, measured, sheet

measured_urls = [
    path("", measured.all_measured, name="measured-all"),
    path("<int:pk>/", measured.measured, name="measured"),
    path("<int:pk>/picture.jpg", measured.picture, name="measured-picture"),
    path("<int:pk>/reference/", measured.refer, name="measured-reference"),
    path("<int:pk>/mark/", measured.mark, name="measured-mark"),
    path("<int:pk>/unmark/", measured.unmark, name="measured-unmark"),
    path("<int:pk>/caliper/", measured.caliper, name="measured-caliper"),
    path("<int:pk>/held/", measured.held, name="measured-held"),
    path("<int:pk>/undo/", measured.undo, name="measured-undo"),
    path("<int:pk>/settle/", measured.settle, name="measured-settle"),
    path("<int:pk>/remove/", measured.remove, name="measured-remove"),
]
made_urls = [
    path("", made.begin, name="made-begin"),
    path("printing/", made.printing, name="printing"),
    path("<int:part>/set/", made.set_value, name="made-set"),
    path("<int:part>/follow/", made.follow, name="made-follow"),
    path("<int:part>/undo/", made.undo, name="made-undo"),
    path("<int:part>/printed/", made.printed, name="made-printed"),
    path("<int:part>/remove/", made.remove, name="made-remove"),
    path("<int:part>/true-size.html", sheet.true_size_page, name="made-true-size"),
    path("<int:part>/<str:name>", made.part_file, name="made-file"),
]
