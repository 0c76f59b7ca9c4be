from django.db import migrations

from hermotrope.columns import HeavyLast


class Migration(migrations.Migration):

    dependencies = [
        ('making', '0001_initial'),
    ]

    operations = [
        HeavyLast('measuredpart', ('picture',)),
    ]
