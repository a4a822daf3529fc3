import humanize, datetime
humanize.i18n.activate('de_DE')
print(humanize.naturaltime(datetime.timedelta(hours=3)), humanize.naturalsize(3e6))
