module glassjar

go 1.26.8

require (
	github.com/CycloneDX/cyclonedx-go v0.12.0
	github.com/adrg/xdg v0.5.3
	github.com/creack/pty v1.1.24
	github.com/github/go-spdx/v2 v2.8.0
	github.com/go-json-experiment/json v1.27.2
	github.com/gofrs/flock v0.13.2
	github.com/hashicorp/go-retryablehttp v0.7.8
	github.com/hiddeco/sshsig v0.2.0
	github.com/jdx/go-netrc v1.0.0
	github.com/klauspost/compress v1.20.4
	github.com/landlock-lsm/go-landlock v0.11.2
	github.com/muesli/termenv v0.16.0
	github.com/opencontainers/go-digest v1.0.0
	github.com/opencontainers/image-spec v1.1.1
	github.com/package-url/packageurl-go v0.1.7
	github.com/pelletier/go-toml/v2 v2.4.3
	github.com/rivo/uniseg v0.4.7
	github.com/rogpeppe/go-internal v1.16.0
	github.com/spf13/cobra v1.10.2
	github.com/spf13/pflag v1.1.0
	github.com/stretchr/testify v1.12.1
	github.com/tailscale/hujson v0.0.0-20260727124030-b80ff77dac4f
	github.com/ulikunitz/xz v0.5.17
	github.com/zalando/go-keyring v0.2.8
	golang.org/x/crypto v0.59.0
	golang.org/x/net v0.62.0
	golang.org/x/sync v0.25.0
	golang.org/x/sys v0.50.0
	golang.org/x/term v0.48.0
	oras.land/oras-go/v2 v2.7.0
)

require (
	github.com/BurntSushi/toml v1.4.1-0.20240526193622-a339e1f7089c // indirect
	github.com/aymanbagabas/go-osc52/v2 v2.0.1 // indirect
	github.com/cpuguy83/go-md2man/v2 v2.0.6 // indirect
	github.com/danieljoos/wincred v1.2.3 // indirect
	github.com/godbus/dbus/v5 v5.2.2 // indirect
	github.com/hashicorp/go-cleanhttp v0.5.2 // indirect
	github.com/inconshreveable/mousetrap v1.1.0 // indirect
	github.com/lucasb-eyer/go-colorful v1.4.1 // indirect
	github.com/mattn/go-isatty v0.0.20 // indirect
	github.com/russross/blackfriday/v2 v2.1.0 // indirect
	go.yaml.in/yaml/v3 v3.0.5 // indirect
	golang.org/x/exp/typeparams v0.0.0-20231108232855-2478ac86f678 // indirect
	golang.org/x/mod v0.41.0 // indirect
	golang.org/x/tools v0.51.0 // indirect
	honnef.co/go/tools v0.8.2 // indirect
	kernel.org/pub/linux/libs/security/libcap/psx v1.2.78 // indirect
)

tool honnef.co/go/tools/cmd/staticcheck
