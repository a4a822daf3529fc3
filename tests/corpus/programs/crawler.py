import scrapy
from scrapy.crawler import CrawlerProcess
from scrapy.http import HtmlResponse

class Berths(scrapy.Spider):
    name = "berths"
    start_urls = ["data:text/html,<p class=b>North</p><p class=b>South</p>"]

    def parse(self, response):
        for text in response.css("p.b::text").getall():
            yield {"berth": text}

found = []
process = CrawlerProcess(settings={"LOG_LEVEL": "ERROR"})
crawler = process.create_crawler(Berths)
crawler.signals.connect(lambda item, **_: found.append(item["berth"]), signal=scrapy.signals.item_scraped)
process.crawl(crawler)
process.start()
print(found)
