from fastapi import FastAPI
from pydantic import BaseModel
import json
class Ship(BaseModel):
    name: str
    berth: int = 1
app = FastAPI()
@app.get('/ships')
def ships() -> Ship:
    return Ship(name='Petrel')
print(json.dumps(app.openapi())[:60], Ship(name='x').dict())
