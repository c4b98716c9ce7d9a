package main

import (
	"bytes"
	"crypto/sha256"
	"debug/buildinfo"
	"fmt"
	"os"
	"strings"

	"github.com/spdx/tools-golang/json"
	"github.com/spdx/tools-golang/spdx/v2/common"
	spdx "github.com/spdx/tools-golang/spdx/v2/v2_3"
)

// bill writes what a binary is made of, as the binary itself says: an SPDX 2.3 document.
func (r *release) bill(path, name string) error {
	info, err := buildinfo.ReadFile(path)
	if err != nil {
		return err
	}
	content, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	own := &spdx.Package{
		PackageName: "frizzel", PackageSPDXIdentifier: "Package-frizzel", PackageVersion: r.version, PackageDownloadLocation: "NOASSERTION",
		PackageLicenseDeclared: "Apache-2.0", PackageCopyrightText: "The Frizzel Authors",
		PackageChecksums: []common.Checksum{{Algorithm: common.SHA256, Value: fmt.Sprintf("%x", sha256.Sum256(content))}},
		PackageComment:   "commit " + r.commit,
	}
	d := &spdx.Document{
		SPDXVersion: spdx.Version, DataLicense: spdx.DataLicense, SPDXIdentifier: "DOCUMENT", DocumentName: name,
		DocumentNamespace: "https://frizzel.example/spdx/" + name + "-" + r.commit,
		CreationInfo: &spdx.CreationInfo{
			Created: r.time.Format("2006-01-02T15:04:05Z"), Creators: []common.Creator{{CreatorType: "Tool", Creator: "frizzel-packaging"}},
		},
		Packages:      []*spdx.Package{own},
		Relationships: []*spdx.Relationship{relation("DOCUMENT", "DESCRIBES", "Package-frizzel")},
	}
	add := func(module, version, sum string) {
		id := common.ElementID("Package-" + strings.Map(identifier, module+"-"+version))
		p := &spdx.Package{
			PackageName: module, PackageSPDXIdentifier: id, PackageVersion: version, PackageDownloadLocation: "NOASSERTION",
			PackageExternalReferences: []*spdx.PackageExternalReference{{
				Category: "PACKAGE-MANAGER", RefType: "purl", Locator: "pkg:golang/" + module + "@" + version,
			}},
			PackageComment: sum,
		}
		d.Packages = append(d.Packages, p)
		d.Relationships = append(d.Relationships, relation("Package-frizzel", "DEPENDS_ON", id))
	}
	add("std", strings.TrimPrefix(info.GoVersion, "go"), "")
	for _, m := range info.Deps {
		if m.Replace != nil {
			m = m.Replace
		}
		add(m.Path, m.Version, m.Sum)
	}
	var out bytes.Buffer
	if err := json.Write(d, &out); err != nil {
		return err
	}
	return r.write(name+".spdx.json", out.Bytes())
}

func relation(from common.ElementID, what string, to common.ElementID) *spdx.Relationship {
	return &spdx.Relationship{RefA: common.DocElementID{ElementRefID: from}, RefB: common.DocElementID{ElementRefID: to}, Relationship: what}
}

// identifier keeps what may stand in an SPDX identifier.
func identifier(r rune) rune {
	if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '.' || r == '-' {
		return r
	}
	return '-'
}
