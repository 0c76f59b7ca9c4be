from django.apps.registry import Apps
from django.db import migrations, models
from django.db.backends.base.schema import BaseDatabaseSchemaEditor

from hermotrope.bench.fields import Unreadable

BATCH = 200


def written(apps: Apps, schema_editor: BaseDatabaseSchemaEditor) -> None:
    """What each conversion is found by, from what it says; one that cannot be read by its title."""
    conversions = apps.get_model("bench", "Conversion").objects
    rows = conversions.only("case", "title", "headline").order_by("pk")
    made = {}
    for row in rows.iterator(BATCH):
        names = [row.title]
        if not isinstance(row.case, Unreadable):
            names += [row.case.device.name, row.case.source.name if row.case.source else ""]
        made[row.pk] = "\n".join((*names, row.headline)).casefold()
    for key, words in made.items():
        conversions.filter(pk=key).update(words=words)


class Migration(migrations.Migration):

    dependencies = [
        ('bench', '0007_ordered'),
    ]

    operations = [
        migrations.AddField(
            model_name='conversion',
            name='words',
            field=models.TextField(blank=True, default='', help_text='what it is found by besides its tags, in small letters'),
            preserve_default=False,
        ),
        migrations.RunPython(written, migrations.RunPython.noop),
    ]
