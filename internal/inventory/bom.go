package main

import (
	"debug/buildinfo"
	"fmt"
	"io"
	"slices"
	"strings"

	cdx "github.com/CycloneDX/cyclonedx-go"
)

// writeBOM writes the CycloneDX list of the components of a built program: the modules that are linked into it, and
// the packages of the console.
func writeBOM(w io.Writer, root, program string) error {
	built, err := buildinfo.ReadFile(program)
	if err != nil {
		return fmt.Errorf("%s: %w (make build writes it)", program, err)
	}
	mods, err := modules(root)
	if err != nil {
		return err
	}
	licences := map[string]string{}
	for _, m := range mods {
		licences[m.Name] = m.Licence
	}
	npm, err := packages(root)
	if err != nil {
		return err
	}
	var all []cdx.Component
	for _, m := range built.Deps {
		all = append(all, component("pkg:golang/", part{Name: m.Path, Version: m.Version, Licence: licences[m.Path]}))
	}
	all = append(
		all,
		component(
			"pkg:golang/",
			part{Name: "std", Version: strings.TrimPrefix(built.GoVersion, "go"), Licence: "BSD-3-Clause"},
		),
	)
	for _, p := range npm {
		all = append(all, component("pkg:npm/", p))
	}
	slices.SortFunc(all, func(a, b cdx.Component) int { return strings.Compare(a.BOMRef, b.BOMRef) })
	bom := cdx.NewBOM()
	bom.Metadata = &cdx.Metadata{
		Component: &cdx.Component{
			Type:    cdx.ComponentTypeApplication,
			Name:    "dapper-tally",
			Version: built.Main.Version,
			BOMRef:  "dapper-tally",
		},
	}
	bom.Components = &all
	e := cdx.NewBOMEncoder(w, cdx.BOMFileFormatJSON)
	e.SetPretty(true)
	return e.Encode(bom)
}

func component(kind string, p part) cdx.Component {
	url := kind + strings.ReplaceAll(p.Name, "@", "%40") + "@" + p.Version
	c := cdx.Component{Type: cdx.ComponentTypeLibrary, BOMRef: url, Name: p.Name, Version: p.Version, PackageURL: url}
	if p.Licence != "" {
		c.Licenses = &cdx.Licenses{{License: &cdx.License{ID: p.Licence}}}
	}
	return c
}
