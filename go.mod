module glassjar

go 1.26.8

require (
	github.com/adrg/xdg v0.5.3
	github.com/gofrs/flock v0.13.1
	github.com/hashicorp/go-retryablehttp v0.7.8
	github.com/pelletier/go-toml/v2 v2.4.3
	github.com/rogpeppe/go-internal v1.16.0
	github.com/stretchr/testify v1.12.1
	golang.org/x/net v0.30.0
	golang.org/x/sync v0.8.0
)

require (
	github.com/hashicorp/go-cleanhttp v0.5.2 // indirect
	go.yaml.in/yaml/v3 v3.0.5 // indirect
	golang.org/x/sys v0.47.0 // indirect
	golang.org/x/tools v0.26.0 // indirect
)
