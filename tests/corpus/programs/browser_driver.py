from selenium import webdriver
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import WebDriverWait
options = webdriver.ChromeOptions()
options.add_argument("--headless")
print(sorted(options.to_capabilities()["goog:chromeOptions"]["args"]), By.CSS_SELECTOR)
options = webdriver.FirefoxOptions()
options.set_preference("a.b", 1)
print(options.to_capabilities()["moz:firefoxOptions"]["prefs"])
try:
    from selenium.webdriver.remote.webdriver import WebDriver
    WebDriver("http://127.0.0.1:9", options=options)
except Exception as error:
    print(type(error).__name__)
