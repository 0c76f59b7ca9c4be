from django.urls import path

from hermotrope.proving.views import prove, runs, sheet

urlpatterns = [
    path("sheet/", sheet.sheet, name="sheet"),
    path("parts.csv", sheet.parts_file, name="parts-file"),
    path("tick/", sheet.tick, name="tick"),
    path("note/", sheet.note, name="note"),
    path("photo/", sheet.photo, name="photo"),
    path("photo/<int:photo>/", sheet.picture, name="picture"),
    path("part/", sheet.part, name="part"),
    path("gate/", prove.reading, name="gate-reading"),
    path("gate/measure/", prove.measure_reading, name="gate-measure"),
    path("gate/put/", prove.put_reading, name="gate-put"),
    path("gate/waive/", prove.waive, name="gate-waive"),
    path("gate/temperature/", prove.at_bench, name="bench-temperature"),
    path("gate/again/", prove.again, name="gate-again"),
    path("instruments/", prove.instruments, name="instruments"),
    path("rehearse/", prove.rehearse, name="rehearse"),
    path("freeze/", prove.freeze, name="freeze"),
    path("record.json", prove.record_file, name="record-file"),
    path("log/", runs.bring, name="log-bring"),
    path("log/start/", runs.start, name="log-start"),
    path("log/<int:log>/", runs.show, name="log-show"),
    path("log/<int:log>/keep/", runs.keep, name="log-keep"),
    path("log/<int:log>/stop/", runs.stop, name="log-stop"),
    path("log/<int:log>/remove/", runs.remove, name="log-remove"),
    path("log/<int:log>/count/", runs.count, name="log-count"),
    path("log/<int:log>/run/", runs.as_run, name="log-run"),
    path("log/<int:log>/temperature/", runs.temperature, name="log-temperature"),
    path("log/<int:log>/fit/", runs.take_fit, name="log-fit"),
    path("log/<int:log>/original/", runs.original, name="log-original"),
]
