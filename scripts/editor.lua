-- Shows `bquill serve` in the editor `nvim`: for the picture in docs/screenshots.
vim.o.number = true
vim.o.signcolumn = "yes"
vim.diagnostic.config({ virtual_text = { prefix = "◀" } })
local client = vim.lsp.start_client({ name = "bquill", cmd = { "bquill", "serve" }, root_dir = vim.fn.getcwd() })
vim.lsp.buf_attach_client(vim.api.nvim_get_current_buf(), client)
vim.keymap.set("n", "K", vim.lsp.buf.hover)
vim.keymap.set("n", "L", vim.lsp.codelens.refresh)
