import wx
print(wx.VERSION[0], wx.Point(1, 2).x, wx.version()[:1])
import wx.adv, wx.html, wx.grid
