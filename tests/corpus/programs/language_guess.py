import langdetect
langdetect.DetectorFactory.seed = 0
print(langdetect.detect("Hoje o mar está calmo e a maré sobe ao meio-dia"))
import jieba
jieba.setLogLevel(60)
print(list(jieba.cut("我来到港口")))
