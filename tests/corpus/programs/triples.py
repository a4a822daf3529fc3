import rdflib
g = rdflib.Graph()
g.parse(data='@prefix s: <http://halcyon.test/> . s:petrel s:berth 3 .', format='turtle')
print(len(g), g.serialize(format='xml')[:20], list(g.query('select ?x where { ?x ?y 3 }'))[0][0], g.serialize(format='json-ld')[:1])
