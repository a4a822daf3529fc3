from sqlalchemy import Column, Integer, String, create_engine
from sqlalchemy.orm import Session, declarative_base

Base = declarative_base()


class Ship(Base):
    __tablename__ = "ships"
    id = Column(Integer, primary_key=True)
    name = Column(String)


engine = create_engine("sqlite://")
Base.metadata.create_all(engine)
with Session(engine) as session:
    session.add(Ship(name="Petrel"))
    session.commit()
    print([ship.name for ship in session.query(Ship)])
