local name = ... return { height = function(hour) return name .. " " .. hour end }
