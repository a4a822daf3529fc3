import networkx as nx
g = nx.petersen_graph()
print(nx.shortest_path(g, 0, 7), round(nx.pagerank(g)[0], 4), len(nx.spring_layout(g, seed=1)))
