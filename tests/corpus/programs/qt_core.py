from PyQt5.QtCore import QCoreApplication, QDate, QTimer

app = QCoreApplication([])
QTimer.singleShot(0, app.quit)
print(app.exec(), QDate(2031, 5, 4).toString("yyyy-MM-dd"))
