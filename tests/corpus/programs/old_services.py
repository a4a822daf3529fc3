import io
import zeep
from zeep.wsse.username import UsernameToken
wsdl = b"""<?xml version="1.0"?><definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:t="urn:t" xmlns:xsd="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:t"><message name="I"><part name="a" type="xsd:string"/></message><message name="O"><part name="b" type="xsd:string"/></message><portType name="P"><operation name="tide"><input message="t:I"/><output message="t:O"/></operation></portType><binding name="B" type="t:P"><soap:binding style="rpc" transport="http://schemas.xmlsoap.org/soap/http"/><operation name="tide"><soap:operation soapAction="x"/><input><soap:body use="literal" namespace="urn:t"/></input><output><soap:body use="literal" namespace="urn:t"/></output></operation></binding><service name="S"><port name="P" binding="t:B"><soap:address location="http://127.0.0.1:9/"/></port></service></definitions>"""
client = zeep.Client(wsdl=io.BytesIO(wsdl))
print(sorted(client.service._binding._operations))
import xmlschema
schema = xmlschema.XMLSchema("""<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema"><xs:element name="a" type="xs:int"/></xs:schema>""")
print(schema.is_valid("<a>3</a>"), schema.is_valid("<a>x</a>"))
