from django.urls import path

from hermotrope.outing.views import changes, outing, outings

urlpatterns = [
    path("", outings.outings, name="outings"),
    path("new/", outings.new, name="outing-new"),
    path("fork/<int:pk>/", outings.fork, name="outing-fork"),
    path("import/", outings.take_in, name="outing-import"),
    path("<int:pk>/", outing.outing, name="outing"),
    path("<int:pk>/outing.json", outing.export_json, name="outing-json"),
    path("<int:pk>/outing.csv", outing.export_csv, name="outing-csv"),
    path("<int:pk>/outing.ics", outing.export_calendar, name="outing-calendar"),
    path("<int:pk>/line-<int:index>.cir", outing.export_netlist, name="outing-netlist"),
    path("<int:pk>/many/<int:index>/<int:place>/", outing.how_many_more, name="outing-many"),
    path("<int:pk>/weigh/<int:index>/<int:place>/", outing.weigh, name="outing-weigh"),
    path("<int:pk>/range/<int:index>/", outing.how_sure, name="outing-range"),
    path("<int:pk>/needs/<int:index>/", outing.what_must_it_be, name="outing-needs"),
    path("<int:pk>/proposal/", outing.proposal, name="outing-proposal"),
    path("<int:pk>/hang/", changes.hang_so, name="outing-hang"),
    path("<int:pk>/supply/<int:index>/<int:place>/pin/", changes.pin, name="outing-pin"),
    path("<int:pk>/set/", changes.set_field, name="outing-set"),
    path("<int:pk>/supply/", changes.add_supply, name="outing-supply"),
    path("<int:pk>/supply/<int:index>/remove/", changes.remove_supply, name="outing-supply-remove"),
    path("<int:pk>/supply/<int:index>/trunk/", changes.set_trunk, name="outing-trunk"),
    path("<int:pk>/supply/<int:index>/row/", changes.add_rows, name="outing-row"),
    path("<int:pk>/supply/<int:index>/conversion/", changes.add_conversion, name="outing-conversion"),
    path("<int:pk>/supply/<int:index>/<int:place>/remove/", changes.remove_branch, name="outing-branch-remove"),
    path("<int:pk>/supply/<int:index>/<int:place>/count/", changes.set_count, name="outing-count"),
    path("<int:pk>/supply/<int:index>/<int:place>/move/", changes.move, name="outing-move"),
    path("<int:pk>/step/", changes.step, name="outing-step"),
    path("<int:pk>/remove/", changes.remove, name="outing-remove"),
]
