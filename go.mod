module diadrom

go 1.26.0

require (
	github.com/bojanz/currency v1.4.2
	github.com/govalues/decimal v0.1.36
	github.com/stretchr/testify v1.12.1
	golang.org/x/text v0.43.0
	pgregory.net/rapid v1.3.0
)

require (
	github.com/cockroachdb/apd/v3 v3.2.1 // indirect
	github.com/go-json-experiment/json v1.27.2 // indirect
	github.com/inconshreveable/mousetrap v1.1.0 // indirect
	github.com/paulmach/orb v0.14.0 // indirect
	github.com/spf13/cobra v1.10.2 // indirect
	github.com/spf13/pflag v1.0.9 // indirect
	github.com/tidwall/geoindex v1.7.0 // indirect
	github.com/tidwall/rtree v1.10.0 // indirect
	go.mongodb.org/mongo-driver/v2 v2.5.0 // indirect
	go.yaml.in/yaml/v3 v3.0.5 // indirect
)
