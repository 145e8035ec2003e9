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
	go.yaml.in/yaml/v3 v3.0.5 // indirect
)
