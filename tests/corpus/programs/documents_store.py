import bson, pymongo
print(bson.decode(bson.encode({'a': 1})), bson.has_c())
try:
    pymongo.MongoClient('127.0.0.1:1', serverSelectionTimeoutMS=50).admin.command('ping')
except Exception as e:
    print(type(e).__name__)
