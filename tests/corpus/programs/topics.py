from gensim import corpora, models
texts = [["tide", "berth"], ["tide", "crane"], ["lamp", "crane"]]
d = corpora.Dictionary(texts)
c = [d.doc2bow(t) for t in texts]
print(len(d), models.TfidfModel(c)[c[0]][0][0])
print(models.Word2Vec(texts, min_count=1, vector_size=4, seed=1, workers=1).wv["tide"].shape)
