module dappermirror/tests/ci

go 1.26

require (
	github.com/rhysd/actionlint v1.7.7
	github.com/robfig/cron/v3 v3.0.1
	go.yaml.in/yaml/v4 v4.0.0
)

require (
	github.com/bmatcuk/doublestar/v4 v4.8.0 // indirect
	github.com/fatih/color v1.18.0 // indirect
	github.com/mattn/go-colorable v0.1.14 // indirect
	github.com/mattn/go-isatty v0.0.20 // indirect
	github.com/mattn/go-runewidth v0.0.16 // indirect
	github.com/mattn/go-shellwords v1.0.12 // indirect
	github.com/rivo/uniseg v0.4.7 // indirect
	golang.org/x/sync v0.10.0 // indirect
	golang.org/x/sys v0.29.0 // indirect
	gopkg.in/yaml.v3 v3.0.1 // indirect
)
