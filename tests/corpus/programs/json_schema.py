import jsonschema
try:
    jsonschema.validate({'a': 1}, {'type': 'object', 'properties': {'a': {'type': 'string'}}})
except jsonschema.ValidationError as e:
    print(e.message)
print(jsonschema.Draft7Validator.META_SCHEMA['$id'])
