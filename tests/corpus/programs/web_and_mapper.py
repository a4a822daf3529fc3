from flask import Flask
from flask_sqlalchemy import SQLAlchemy
a = Flask('harbour'); a.config['SQLALCHEMY_DATABASE_URI'] = 'sqlite://'; a.config['SQLALCHEMY_TRACK_MODIFICATIONS'] = False
d = SQLAlchemy(a)
class Ship(d.Model):
    id = d.Column(d.Integer, primary_key=True)
with a.app_context():
    d.create_all(); d.session.add(Ship()); d.session.commit(); print(Ship.query.count())
