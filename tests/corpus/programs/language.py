import nltk
from nltk.stem import PorterStemmer
from nltk.tokenize import wordpunct_tokenize
print(PorterStemmer().stem('sailing'), wordpunct_tokenize('the tide, rising'))
