from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("book", "0002_houserules")]

    operations = [
        migrations.AddField(
            model_name="houserules",
            name="validated",
            field=models.JSONField(
                blank=True, help_text="The reduction shown for weaker rows: organism, log10, by.", null=True
            ),
        ),
    ]
