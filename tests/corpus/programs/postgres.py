import psycopg2, psycopg2.extras
try:
    psycopg2.connect('host=127.0.0.1 port=1')
except psycopg2.OperationalError as e:
    print(type(e).__name__)
print(psycopg2.extensions.adapt('a').getquoted())
