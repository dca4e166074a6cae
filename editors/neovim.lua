-- Starts the language server of Verbalis for the files of mail folders. Source it from init.lua: dofile("PATH/editors/neovim.lua")
local function root_of(file)
  for dir in vim.fs.parents(file) do
    if vim.loop.fs_stat(dir .. '/mail.yaml') then return dir end
  end
end

vim.api.nvim_create_autocmd({ 'BufReadPost', 'BufNewFile' }, {
  pattern = { '*/templates/*/message*', '*/layouts/*.md', '*/blocks/*.md', '*/templates/*/data.schema.json', '*/strings/*.json', '*/schemas/*.json' },
  callback = function(event)
    local root = root_of(vim.api.nvim_buf_get_name(event.buf))
    if not root then return end
    vim.lsp.start({ name = 'verbalis', cmd = vim.g.verbalis_command or { 'npx', 'verbalis', 'lsp' }, root_dir = root })
  end,
})
