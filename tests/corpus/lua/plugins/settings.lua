return { lamp = "amber" }
