import peewee
d = peewee.SqliteDatabase(':memory:')
class Ship(peewee.Model):
    name = peewee.CharField()
    class Meta:
        database = d
d.create_tables([Ship]); Ship.create(name='Petrel')
print([s.name for s in Ship.select()])
from playhouse import migrate, sqlite_ext
