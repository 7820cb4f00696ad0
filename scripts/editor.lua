-- Shows `bquill serve` in the editor `nvim`, on a rewrite file with faults: for the picture in docs/screenshots.
local text = [==[
title = 'Berth codes'

[[step]]
match = '(?P<word>[Bb]erth)[ -](\d+)'
with = '${word | uper}-$2'
ignorecase = true

[[step]]
match = 'quay (\d+'
with = 'Q-$1'
]==]
vim.o.number = true
vim.o.signcolumn = "yes"
vim.o.background = "dark"
vim.diagnostic.config({ virtual_text = { prefix = "◀" } })
vim.api.nvim_buf_set_lines(0, 0, -1, false, vim.split(text, "\n"))
local client = vim.lsp.start_client({ name = "bquill", cmd = { "bquill", "serve" }, root_dir = vim.fn.getcwd() })
vim.lsp.buf_attach_client(0, client)
