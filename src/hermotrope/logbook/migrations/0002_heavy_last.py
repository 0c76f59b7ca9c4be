from django.db import migrations

from hermotrope.columns import HeavyLast


class Migration(migrations.Migration):

    dependencies = [
        ('logbook', '0001_initial'),
    ]

    operations = [
        HeavyLast('entry', ('picture',)),
    ]
