package imports

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"dappertally/internal/tables"
)

// Entry is one distribution, release, edition or rig in a file. It holds only the fields that the file states.
type Entry struct {
	Line   int
	Kind   Kind
	Key    string // in full: distribution, distribution/release, distribution/release/edition, or a rig's key
	Fault  string // why the entry cannot be read; empty if it can
	Column string // of the fault
	cells  []cell
}

// cell is a field's value before its type is known.
type cell struct {
	name   string
	line   int
	values []string
	list   bool // written as a list; otherwise one value, which may hold a list separated by commas
}

// LargestCatalogue is the largest catalogue file, in bytes.
const LargestCatalogue = 16 << 20

// CatalogueForms are the forms in which a catalogue can be imported.
var CatalogueForms = []string{"yaml", "csv", "xlsx", "json", "jsonl"}

// ReadCatalogue reads entries from a table with a row each (columns kind, key and those of CatalogueColumns), or from
// YAML or JSON nested as in a bundle: distributions with their releases and editions, and rigs.
func ReadCatalogue(in io.Reader, form string) ([]Entry, error) {
	switch form {
	case "yaml", "json":
		return readNested(in)
	case "csv", "xlsx", "jsonl":
		return readRows(in, form)
	}
	return nil, fmt.Errorf("a catalogue is read from %s, not from %q", strings.Join(CatalogueForms, ", "), form)
}

func readRows(in io.Reader, form string) ([]Entry, error) {
	source, err := tables.Read(in, form, 0)
	if err != nil {
		return nil, err
	}
	if form != "jsonl" {
		if err := knownColumns(source.Columns()); err != nil {
			return nil, err
		}
	}
	var entries []Entry
	for {
		row, err := source.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
		e := Entry{Line: row.Line, Fault: row.Fault}
		for _, name := range row.Columns() {
			text, _ := row.Get(name)
			e.setField(name, row.Line, strings.TrimSpace(text), form == "xlsx")
		}
		if e.Kind == "" && e.Key == "" && e.Fault == "" && len(e.cells) == 0 {
			continue // an empty line
		}
		e.complete()
		entries = append(entries, e)
	}
	if len(entries) == 0 {
		return nil, errors.New("the table has no rows")
	}
	return entries, nil
}

// setField stores a cell of a table. An empty one states nothing.
func (e *Entry) setField(name string, line int, text string, sheet bool) {
	switch {
	case text == "":
	case name == "kind":
		e.Kind = Kind(text)
	case name == "key":
		e.Key = text
	case sheet && (name == "date" || name == "endOfSupport"):
		e.cells = append(e.cells, cell{name: name, line: line, values: []string{dayOfSheet(text)}})
	case strings.HasPrefix(text, "["):
		var list []string
		if yaml.Unmarshal([]byte(text), &list) != nil {
			list = []string{text}
		}
		e.cells = append(e.cells, cell{name: name, line: line, values: list, list: true})
	default:
		e.cells = append(e.cells, cell{name: name, line: line, values: []string{text}})
	}
}

// complete checks a row's kind and key.
func (e *Entry) complete() {
	switch {
	case e.Fault != "":
	case !slices.Contains(Kinds, e.Kind):
		e.Column, e.Fault = "kind", fmt.Sprintf("must be one of %s, not %.70q", kindWords(), e.Kind)
	case e.Key == "":
		e.Column, e.Fault = "key", "is missing"
	case strings.Count(e.Key, "/") != e.Kind.depth():
		e.Column, e.Fault = "key", fmt.Sprintf(
			"the key of %s is %s, not %.70q", e.Kind.article(), e.Kind.keyForm(), e.Key,
		)
	}
}

func knownColumns(columns []string) error {
	known := append([]string{"kind", "key"}, CatalogueColumns()...)
	var strange []string
	for _, c := range columns {
		if c != "" && !slices.Contains(known, c) {
			strange = append(strange, c)
		}
	}
	switch {
	case len(strange) > 0:
		return fmt.Errorf(
			"a catalogue has no column %s; its columns are %s", strings.Join(strange, ", "), strings.Join(known, ", "),
		)
	case !slices.Contains(columns, "kind") || !slices.Contains(columns, "key"):
		return errors.New("the columns kind and key are required: each row needs its kind and its key")
	}
	return nil
}

// nested reads the entries of a YAML document.
type nested struct{ entries []Entry }

func readNested(in io.Reader) ([]Entry, error) {
	data, err := io.ReadAll(io.LimitReader(in, LargestCatalogue+1))
	if err != nil {
		return nil, err
	}
	if len(data) > LargestCatalogue {
		return nil, fmt.Errorf("is larger than %d MiB; split it", LargestCatalogue>>20)
	}
	var doc yaml.Node
	if err := yaml.Unmarshal(data, &doc); err != nil {
		return nil, errors.New(strings.TrimPrefix(err.Error(), "yaml: "))
	}
	if len(doc.Content) == 0 {
		return nil, errors.New("the file is empty")
	}
	var n nested
	root := doc.Content[0]
	switch root.Kind {
	case yaml.SequenceNode:
		err = n.rows(root)
	case yaml.MappingNode:
		err = n.document(root)
	default:
		err = errors.New("it must have distributions and rigs, or a list of rows")
	}
	if err == nil && len(n.entries) == 0 {
		err = errors.New("it has no distributions and no rigs")
	}
	return n.entries, err
}

func (n *nested) document(root *yaml.Node) error {
	for key, value := range pairs(root) {
		switch key.Value {
		case "distributions":
			if err := n.list(value, Distribution, "key", "", "releases"); err != nil {
				return err
			}
		case "rigs":
			if err := n.list(value, Rig, "key", "", ""); err != nil {
				return err
			}
		case "catalogue": // as exported: a list of rows under its name
			if err := n.rows(value); err != nil {
				return err
			}
		default:
			return fmt.Errorf(
				"line %d: the file can have distributions and rigs, not %.70q; import a whole bundle as a "+
					"bundle",
				key.Line,
				key.Value,
			)
		}
	}
	return nil
}

// below is what each kind contains, and the field for it.
var below = map[string]struct {
	kind        Kind
	key, inside string
}{"releases": {Release, "version", "editions"}, "editions": {Edition, "key", ""}}

func (n *nested) list(list *yaml.Node, kind Kind, keyField, above, inside string) error {
	if list.Kind == yaml.ScalarNode && list.Tag == "!!null" {
		return nil
	}
	if list.Kind != yaml.SequenceNode {
		return fmt.Errorf("line %d: a list of %ss is expected here", list.Line, kind)
	}
	for _, item := range list.Content {
		if item.Kind != yaml.MappingNode {
			return fmt.Errorf("line %d: %s with named fields is expected here", item.Line, kind.article())
		}
		e := Entry{Line: item.Line, Kind: kind}
		var children *yaml.Node
		for key, value := range pairs(item) {
			switch {
			case key.Value == keyField && value.Kind == yaml.ScalarNode:
				e.Key = value.Value
			case key.Value == inside && inside != "":
				children = value
			default:
				e.node(key.Value, value)
			}
		}
		if above != "" {
			e.Key = above + "/" + e.Key
		}
		e.complete()
		if strings.HasSuffix(e.Key, "/") || e.Key == "" {
			e.Column, e.Fault = keyField, "is missing"
		}
		n.entries = append(n.entries, e)
		if children != nil {
			b := below[inside]
			if err := n.list(children, b.kind, b.key, e.Key, b.inside); err != nil {
				return err
			}
		}
	}
	return nil
}

// rows reads a list of rows as an export writes them.
func (n *nested) rows(list *yaml.Node) error {
	if list.Kind != yaml.SequenceNode {
		return fmt.Errorf("line %d: a list of rows is expected here", list.Line)
	}
	for _, item := range list.Content {
		if item.Kind != yaml.MappingNode {
			return fmt.Errorf("line %d: a row with named fields is expected here", item.Line)
		}
		e := Entry{Line: item.Line}
		for key, value := range pairs(item) {
			switch {
			case key.Value == "kind" && value.Kind == yaml.ScalarNode:
				e.Kind = Kind(value.Value)
			case key.Value == "key" && value.Kind == yaml.ScalarNode:
				e.Key = value.Value
			default:
				e.node(key.Value, value)
			}
		}
		e.complete()
		n.entries = append(n.entries, e)
	}
	return nil
}

// node stores a field of a YAML mapping. Scalars stay as written: a version 6.10 is not the number 6.1.
func (e *Entry) node(name string, value *yaml.Node) {
	refuse := func(format string, args ...any) {
		if e.Fault == "" {
			e.Line, e.Column, e.Fault = value.Line, name, fmt.Sprintf(format, args...)
		}
	}
	switch value.Kind {
	case yaml.ScalarNode:
		if value.Tag != "!!null" {
			e.cells = append(e.cells, cell{name: name, line: value.Line, values: []string{value.Value}})
		}
	case yaml.SequenceNode:
		c := cell{name: name, line: value.Line, list: true}
		for _, item := range value.Content {
			if item.Kind != yaml.ScalarNode {
				refuse("must be a list of plain values")
				return
			}
			c.values = append(c.values, item.Value)
		}
		e.cells = append(e.cells, c)
	case yaml.MappingNode:
		for key, inner := range pairs(value) {
			if inner.Kind == yaml.MappingNode {
				refuse("has too many levels")
				return
			}
			e.node(name+"."+key.Value, inner)
		}
	default:
		refuse("refers to another place in the file; write the value out")
	}
}

// pairs iterates over the keys and values of a mapping.
func pairs(mapping *yaml.Node) func(func(key, value *yaml.Node) bool) {
	return func(yield func(key, value *yaml.Node) bool) {
		for i := 0; i+1 < len(mapping.Content); i += 2 {
			if !yield(mapping.Content[i], mapping.Content[i+1]) {
				return
			}
		}
	}
}

// RowOf returns a catalogue entry as cells of CatalogueColumns; nil for a field that the entry does not have.
func RowOf(thing any) []any {
	at := fieldsOf(thing)
	row := make([]any, 0, len(CatalogueColumns()))
	for _, name := range CatalogueColumns() {
		if f, ok := at[name]; ok {
			row = append(row, shownCell(f))
			continue
		}
		row = append(row, nil)
	}
	return row
}
