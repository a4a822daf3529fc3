from bs4 import BeautifulSoup

for parser in ("html.parser", "lxml"):
    print(BeautifulSoup("<p>a<b>c</b>", parser).b.text)
