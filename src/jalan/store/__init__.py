"""PostgreSQL as the store: models, migrations, and the repositories that read and write them."""
