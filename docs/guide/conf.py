"""How the guide is built: `./run guide` makes plain pages of it, which the program shows and ships."""

project = "Fidele"
extensions: list[str] = []
html_theme = "basic"
templates_path = ["templates"]
html_copy_source = False
html_show_sphinx = False
html_show_copyright = False
html_use_index = False
exclude_patterns = ["templates", "locale"]
html_permalinks = False
highlight_language = "none"
locale_dirs = ["locale"]
gettext_compact = "guide"
