// Command refresh brings the vendored assets and open data of this repository up to the versions that
// packages.json pins. It is run by hand (make refresh), needs npm with node, tar and Debian's iso-codes, and is
// the only part of the project that reaches a registry: building, testing and serving never do.
//
// Beside every file that it writes it records where it came from: third_party.json lists each package with its
// version, licence, the integrity checksum that npm verified, and the SHA-256 of each file kept.
package main

import (
	"crypto/sha256"
	_ "embed"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"sort"
	"strings"
)

//go:embed packages.json
var manifest []byte

type npmPackage struct {
	Name        string            `json:"name"`
	Version     string            `json:"version"`
	Licence     string            `json:"licence"`
	Into        string            `json:"into"`
	Files       map[string]string `json:"files"`
	LicenceFile string            `json:"licence_file"`
}

type debianPackage struct {
	Name    string `json:"name"`
	Licence string `json:"licence"`
	Into    string `json:"into"`
}

// record is one entry of third_party.json.
type record struct {
	Package   string            `json:"package"`
	Registry  string            `json:"registry"`
	Version   string            `json:"version"`
	Licence   string            `json:"licence"`
	Integrity string            `json:"integrity,omitempty"`
	Files     map[string]string `json:"files"`
}

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, "refresh:", err)
		os.Exit(1)
	}
}

func run() error {
	var m struct {
		Packages []npmPackage    `json:"packages"`
		Debian   []debianPackage `json:"debian"`
	}
	if err := json.Unmarshal(manifest, &m); err != nil {
		return err
	}
	work, err := os.MkdirTemp("", "diadrom-refresh-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(work)

	var records []record
	unpacked := map[string]string{}
	for _, p := range m.Packages {
		dir, integrity, err := fetch(work, p)
		if err != nil {
			return fmt.Errorf("%s@%s: %w", p.Name, p.Version, err)
		}
		unpacked[p.Name] = dir
		files, err := keep(dir, p)
		if err != nil {
			return fmt.Errorf("%s@%s: %w", p.Name, p.Version, err)
		}
		records = append(records, record{p.Name, "npm", p.Version, p.Licence, integrity, files})
	}
	for _, p := range m.Debian {
		version, err := exec.Command("dpkg-query", "-W", "-f", "${Version}", p.Name).Output()
		if err != nil {
			return fmt.Errorf("%s is not installed: apt-get install %s", p.Name, p.Name)
		}
		copyright, err := os.ReadFile("/usr/share/doc/" + p.Name + "/copyright")
		if err != nil {
			return err
		}
		name := filepath.Join(p.Into, "LICENCE-"+p.Name+".txt")
		if err := write(name, copyright); err != nil {
			return err
		}
		records = append(
			records,
			record{p.Name, "debian", string(version), p.Licence, "", map[string]string{name: sum(copyright)}},
		)
	}
	made, err := makeData(unpacked)
	if err != nil {
		return err
	}
	records = append(
		records,
		record{Package: "made by tools/refresh from the packages above", Registry: "none", Files: made},
	)
	out, err := json.MarshalIndent(records, "", " ")
	if err != nil {
		return err
	}
	return write("third_party.json", append(out, '\n'))
}

// fetch downloads and unpacks one npm package; npm itself verifies the integrity checksum that is returned.
func fetch(work string, p npmPackage) (dir, integrity string, err error) {
	spec := p.Name + "@" + p.Version
	cmd := exec.Command("npm", "pack", "--json", spec)
	cmd.Dir = work
	out, err := cmd.Output()
	if err != nil {
		return "", "", fmt.Errorf("npm pack: %w", err)
	}
	var packed []struct {
		Filename  string `json:"filename"`
		Integrity string `json:"integrity"`
	}
	if err := json.Unmarshal(out, &packed); err != nil || len(packed) != 1 {
		return "", "", fmt.Errorf("npm pack printed no list of one package: %v", err)
	}
	dir = filepath.Join(work, strings.NewReplacer("@", "", "/", "-").Replace(p.Name))
	if err := os.Mkdir(dir, 0o755); err != nil {
		return "", "", err
	}
	tarball := filepath.Join(work, packed[0].Filename)
	if out, err := exec.Command(
		"tar",
		"xzf",
		tarball,
		"-C",
		dir,
		"--strip-components=1",
	).CombinedOutput(); err != nil {
		return "", "", fmt.Errorf("tar: %w: %s", err, out)
	}
	return dir, packed[0].Integrity, nil
}

// keep copies the files that the manifest names, and the licence, into the repository.
func keep(dir string, p npmPackage) (map[string]string, error) {
	files := map[string]string{}
	wanted := map[string]string{}
	for from, to := range p.Files {
		wanted[from] = to
	}
	licence := "LICENCE-" + strings.NewReplacer("@", "", "/", "-").Replace(p.Name) + ".txt"
	if p.LicenceFile != "" {
		wanted[p.LicenceFile] = licence
	} else {
		text, err := statedLicence(dir, p)
		if err != nil {
			return nil, err
		}
		name := filepath.Join(p.Into, licence)
		if err := write(name, text); err != nil {
			return nil, err
		}
		files[name] = sum(text)
	}
	for from, to := range wanted {
		body, err := os.ReadFile(filepath.Join(dir, from))
		if err != nil {
			return nil, err
		}
		if strings.HasSuffix(to, ".css") || strings.HasSuffix(to, ".js") {
			body = withoutSourceMap(body)
		}
		name := filepath.Join(p.Into, to)
		if err := write(name, body); err != nil {
			return nil, err
		}
		files[name] = sum(body)
	}
	return files, nil
}

// statedLicence writes down what a package without a licence text says of its licence and its authors.
func statedLicence(dir string, p npmPackage) ([]byte, error) {
	var stated struct {
		License, Author, Repository json.RawMessage
	}
	if err := readJSON(filepath.Join(dir, "package.json"), &stated); err != nil {
		return nil, err
	}
	return fmt.Appendf(
		nil,
		"%s %s carries no licence text. Its package.json states:\nlicense: %s\nauthor: %s\nrepository: %s\n",
		p.Name,
		p.Version,
		stated.License,
		stated.Author,
		stated.Repository,
	), nil
}

// withoutSourceMap drops the reference to a source map, which is not shipped and would be asked for in vain.
func withoutSourceMap(body []byte) []byte {
	lines := strings.Split(string(body), "\n")
	kept := lines[:0]
	for _, l := range lines {
		if !strings.Contains(l, "sourceMappingURL=") {
			kept = append(kept, l)
		}
	}
	return []byte(strings.Join(kept, "\n"))
}

func write(name string, body []byte) error {
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return err
	}
	return os.WriteFile(name, body, 0o644)
}

func sum(body []byte) string {
	h := sha256.Sum256(body)
	return "sha256-" + hex.EncodeToString(h[:])
}

func sortedKeys[V any](m map[string]V) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	sort.Strings(keys)
	return keys
}
