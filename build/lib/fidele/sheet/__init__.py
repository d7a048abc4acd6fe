"""Media and placing: one piece of artwork at its true size on one sheet, as pixels of the printer."""
