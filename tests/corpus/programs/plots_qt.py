import os
os.environ['QT_QPA_PLATFORM'] = 'offscreen'
import pyqtgraph as pg
a = pg.mkQApp()
w = pg.PlotWidget(); w.plot([1, 2, 3]); w.show(); a.processEvents()
print(pg.QtCore.QT_LIB if hasattr(pg.QtCore, 'QT_LIB') else 'qt')
w.close()
