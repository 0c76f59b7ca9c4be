from django.db import migrations, models

from hermotrope.columns import HeavyLast


class Migration(migrations.Migration):

    dependencies = [
        ('proving', '0004_arrival'),
    ]

    operations = [
        HeavyLast('runlogrow', ('data', 'original')),
        HeavyLast('photo', ('image',)),
        migrations.AddIndex(
            model_name='runlogrow',
            index=models.Index(fields=['-created_at', '-id'], name='proving_run_created_5081b1_idx'),
        ),
    ]
