from google.protobuf import descriptor_pb2, json_format, struct_pb2, timestamp_pb2
from google.protobuf.internal import api_implementation
s = struct_pb2.Struct(); s['tide'] = 3
print(json_format.MessageToJson(s, indent=0), api_implementation.Type(), s.SerializeToString())
