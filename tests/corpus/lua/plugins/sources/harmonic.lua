return { height = function(hour) return hour * 2 end }
