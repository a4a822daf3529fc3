import sqlite3

with sqlite3.connect(":memory:") as base:
    base.execute("create table t(a)")
    base.executemany("insert into t values (?)", [(1,), (2,)])
    print(base.execute("select sum(a) from t").fetchone(), list(base.iterdump())[:1])
