import boto3
from botocore.stub import Stubber
store = boto3.client("s3", region_name="eu-west-1", aws_access_key_id="x", aws_secret_access_key="y")
with Stubber(store) as stub:
    stub.add_response("list_buckets", {"Buckets": [{"Name": "tides"}]})
    print(store.list_buckets()["Buckets"])
print(boto3.resource("s3", region_name="eu-west-1", aws_access_key_id="x", aws_secret_access_key="y").Bucket("tides"))
print(type(store.get_paginator("list_objects_v2")).__name__, len(boto3.session.Session().get_available_services()) > 100)
