package cli

import (
	"context"

	"github.com/spf13/cobra"

	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/tables"
)

func (s *session) personCommand() *cobra.Command {
	return noun(
		"person",
		"The team's accounts",
		s.listPeople(),
		personKept.showVerb(s, "  dtally person show tomas\n  dtally person show tomas --output json"),
		personKept.addVerb(s,
			"  dtally person add ruben 'Ruben Marrash' --role reviewer && dtally person link ruben\n"+
				"  dtally person add sunniva 'Sunniva Ferro' --role reviewer --role lead --disclosure 'uses Gullhaven daily'"),
		personKept.editVerb(s, "; everybody can edit their own display name and disclosure, an administrator everything",
			"  dtally person edit odile --role reviewer --role lead\n"+
				"  dtally person edit odile 'Odile Farrant-Ferro'"),
		s.renamePerson(),
		s.disableVerb("disable", "Stop a person from signing in, at once; what they recorded stays", true),
		s.disableVerb("enable", "Let a person sign in again", false),
		s.linkVerb(),
	)
}

var peopleTable = tables.Define("people", "a member of the team",
	tables.Text("name", "Name", "sign-in name"),
	tables.Text("title", "Display name", "shown to others"),
	tables.List("roles", "Roles", ""),
	tables.Text("state", "State", "active; invited: a link is valid; disabled; without-password"),
	tables.Text("disclosure", "Disclosure", "interests that readers should know about").Yields(),
)

func peopleSheet(people ...contract.Person) *sheet {
	t := sheetOf(peopleTable)
	for i := range people {
		p := &people[i]
		t.Add(p.Name, p.Title, roleWords(p.Roles), string(p.State), p.Disclosure)
	}
	return t
}

func (s *session) listPeople() *cobra.Command {
	return &cobra.Command{
		Use:     "list",
		Short:   "List the team, alphabetically",
		Example: "  dtally person list\n  dtally person list --output csv",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			people, err := all(func(cursor string) (client.Got[contract.PersonList], error) {
				return c.ListPeople(cmd.Context(), contract.ListPeopleParams{Cursor: cursor})
			}, func(l *contract.PersonList) ([]contract.Person, string) { return l.People, l.Next })
			if err != nil {
				return err
			}
			return s.print(cmd, contract.PersonList{People: people}, peopleSheet(people...))
		}),
	}
}

var personKept = kept[contract.Person]{
	noun:   "person",
	usage:  "NAME",
	fields: personFields,
	blank:  func(name string) (contract.Person, error) { return contract.Person{Name: name}, nil },
	words:  func(p *contract.Person, title string) { p.Title = title },
	sheet:  peopleSheet,
	get: func(c *client.Client, ctx context.Context, name string) (got[contract.Person], error) {
		return c.ShowPerson(ctx, name)
	},
	add: func(c *client.Client, ctx context.Context, p contract.Person) (got[contract.Person], error) {
		return c.AddPerson(ctx, contract.NewPerson{
			Name: p.Name, Title: p.Title, Roles: rolesOf(&p), Disclosure: p.Disclosure,
		})
	},
	edit: func(c *client.Client, ctx context.Context, tag string, p contract.Person) (got[contract.Person], error) {
		return c.EditPerson(ctx, p.Name, contract.EditPersonParams{IfMatch: tag}, contract.PersonDetails{
			Name: p.Name, Title: p.Title, Roles: rolesOf(&p), Disclosure: p.Disclosure,
		})
	},
}

var roleNames = roleWords([]contract.Role{contract.Reviewer, contract.Lead, contract.Administrator})

// rolesOf is never null, since the contract wants a list.
func rolesOf(p *contract.Person) []contract.Role { return append([]contract.Role{}, p.Roles...) }

func personFields(s *fields[contract.Person]) {
	s.text("disclosure", "interests that readers should know about, such as the system in daily use",
		func(p *contract.Person) *string { return &p.Disclosure })
	roles := s.flags.StringSlice("role", nil, orWords(roleNames)+"; repeatable")
	_ = s.flags.SetAnnotation("role", choicesOf, roleNames) // the flag was defined in the line above
	s.set["role"] = func(p *contract.Person) {
		p.Roles = []contract.Role{}
		for _, r := range *roles {
			p.Roles = append(p.Roles, contract.Role(r))
		}
	}
}

func (s *session) renamePerson() *cobra.Command {
	return &cobra.Command{
		Use:     "rename NAME NEW",
		Short:   "Give a person another sign-in name; their records keep belonging to them",
		Example: "  dtally person rename odile odilemf\n  dtally person rename odilemf odile",
		Args:    args(2, 2),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			old, err := c.ShowPerson(cmd.Context(), a[0])
			if err != nil {
				return err
			}
			p := &old.Value
			return show(s, cmd, each(peopleSheet))(c.EditPerson(
				cmd.Context(), a[0], contract.EditPersonParams{IfMatch: old.ETag},
				contract.PersonDetails{Name: a[1], Title: p.Title, Roles: rolesOf(p), Disclosure: p.Disclosure},
			))
		}),
	}
}

func (s *session) disableVerb(use, short string, disabled bool) *cobra.Command {
	return &cobra.Command{
		Use:     use + " NAME",
		Short:   short,
		Example: "  dtally person " + use + " ines\n  dtally person " + use + " ines --output json",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			return show(s, cmd, each(peopleSheet))(c.SetDisabled(cmd.Context(), a[0], contract.Disabling{Disabled: disabled}))
		}),
	}
}

var linkTable = tables.Define("link", "a link to choose a password",
	tables.Text("address", "Address", "works once; whoever opens it first chooses the password"),
	tables.Moment("expires", "Ends", ""),
	tables.Truth("mailed", "Mailed", ""),
	tables.Text("said", "Why not", "why it was not mailed"),
)

func (s *session) linkVerb() *cobra.Command {
	var link contract.NewLink
	cmd := &cobra.Command{
		Use:   "link NAME",
		Short: "Create a link to choose a password, shown only once",
		Long: "Create a link with which a person chooses a password: the first one, or a new one. It works " +
			"once, within 72 hours; an older link stops working.",
		Example: "  dtally person link odile\n  dtally person link odile --output json",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			return show(s, cmd, alone(func(l *contract.LinkMade) *sheet {
				t := sheetOf(linkTable)
				t.Add(l.Address, l.Expires, l.Mailed, l.Said)
				return t
			}))(c.MakeLink(cmd.Context(), a[0], link))
		}),
	}
	cmd.Flags().StringVar(&link.Mail, "mail", "", "also mail it to this address")
	return cmd
}
