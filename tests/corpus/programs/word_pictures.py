from wordcloud import WordCloud
cloud = WordCloud(width=200, height=100, random_state=3).generate("tide tide berth crane lamp lamp")
print(cloud.to_array().shape, sorted(cloud.words_))
