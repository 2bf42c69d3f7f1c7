package cli

import (
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"grotta/api"
)

// People are the users who can sign in, as stored in the data folder of a service.
type People interface {
	Users() ([]api.User, error)
	CreateUser(api.NewUser) error
	ChangeUser(name string, to api.UserChange) error
	SetPassword(name, password string) error
	RemoveUser(name, heir string) error
	Close() error
}

func (a *app) userCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "user", Short: "Manage who can sign in, on the service's own machine",
		Long: `Manages the people of a data folder, on the service's own machine. The service may run
meanwhile. The first user is an admin, who may do the same through the API.`}
	cmd.AddCommand(a.userAddCommand(), a.userListCommand(), a.userPasswordCommand(),
		a.userChangeCommand("disable NAME", "Keep a user from signing in, and end their sessions and tokens", "%s can no longer sign in", api.UserChange{Disabled: ptr(true)}),
		a.userChangeCommand("enable NAME", "Let a user sign in again", "%s can sign in", api.UserChange{Disabled: ptr(false)}),
		a.userAdminCommand(), a.userRemoveCommand())
	for _, c := range cmd.Commands() {
		c.Flags().String("data", "", "folder of the data (default grotta-data)")
	}
	return cmd
}

func ptr[T any](v T) *T { return &v }

// onPeople runs something on the people of the data folder.
func (a *app) onPeople(do func(p People) error) error { return a.withPeople(false, do) }

// withPeople is onPeople that may make the folder.
func (a *app) withPeople(mayMake bool, do func(p People) error) error {
	p, err := a.host.People(a.settings.text("data"), mayMake)
	if err != nil {
		return err
	}
	return errors.Join(do(p), p.Close())
}

func (a *app) userAddCommand() *cobra.Command {
	var fromStdin, admin bool
	cmd := &cobra.Command{
		Use: "add NAME", Short: "Make a user", Args: args(1),
		RunE: func(_ *cobra.Command, in []string) error {
			password, err := a.password("Password for "+in[0]+": ", fromStdin)
			if err != nil {
				return err
			}
			if err := a.withPeople(true, func(p People) error {
				return p.CreateUser(api.NewUser{Name: in[0], Password: password, Admin: admin})
			}); err != nil {
				return err
			}
			return a.show(api.User{Name: in[0], Admin: admin}, func(w io.Writer) { fmt.Fprintf(w, "%s can sign in\n", in[0]) })
		},
	}
	cmd.Flags().BoolVar(&fromStdin, "password-stdin", false, "read the password from standard input")
	cmd.Flags().BoolVar(&admin, "admin", false, "let the user manage people")
	return cmd
}

func (a *app) userListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "List the users", Args: args(0),
		RunE: func(*cobra.Command, []string) error {
			var users []api.User
			if err := a.onPeople(func(p People) (err error) { users, err = p.Users(); return err }); err != nil {
				return err
			}
			return a.show(users, func(w io.Writer) {
				var rows [][]string
				for _, u := range users {
					var may []string
					if u.Admin {
						may = append(may, "admin")
					}
					if u.Disabled {
						may = append(may, "disabled")
					}
					rows = append(rows, []string{u.Name, strings.Join(may, ", "), fmt.Sprint(u.Levels), u.Created.Format("2006-01-02")})
				}
				table(w, "NAME|IS|LEVELS|SINCE", rows)
			})
		},
	}
}

func (a *app) userPasswordCommand() *cobra.Command {
	var fromStdin bool
	cmd := &cobra.Command{
		Use: "password NAME", Short: "Give a user another password, and end their sessions and tokens", Args: args(1),
		RunE: func(_ *cobra.Command, in []string) error {
			password, err := a.password("New password for "+in[0]+": ", fromStdin)
			if err != nil {
				return err
			}
			if err := a.onPeople(func(p People) error { return p.SetPassword(in[0], password) }); err != nil {
				return err
			}
			return a.show(api.User{Name: in[0]}, func(w io.Writer) { fmt.Fprintf(w, "%s has a new password\n", in[0]) })
		},
	}
	cmd.Flags().BoolVar(&fromStdin, "password-stdin", false, "read the password from standard input")
	return cmd
}

func (a *app) userChangeCommand(use, short, said string, to api.UserChange) *cobra.Command {
	return &cobra.Command{
		Use: use, Short: short, Args: args(1),
		RunE: func(_ *cobra.Command, in []string) error {
			if err := a.onPeople(func(p People) error { return p.ChangeUser(in[0], to) }); err != nil {
				return err
			}
			return a.show(api.User{Name: in[0], Disabled: to.Disabled != nil && *to.Disabled}, func(w io.Writer) { fmt.Fprintf(w, said+"\n", in[0]) })
		},
	}
}

func (a *app) userAdminCommand() *cobra.Command {
	var not bool
	cmd := &cobra.Command{
		Use: "admin NAME", Short: "Let a user manage people, or no longer with --not", Args: args(1),
		RunE: func(_ *cobra.Command, in []string) error {
			is := !not
			if err := a.onPeople(func(p People) error { return p.ChangeUser(in[0], api.UserChange{Admin: &is}) }); err != nil {
				return err
			}
			said := in[0] + " may manage people"
			if not {
				said = in[0] + " may no longer manage people"
			}
			return a.show(api.User{Name: in[0], Admin: is}, func(w io.Writer) { fmt.Fprintln(w, said) })
		},
	}
	cmd.Flags().BoolVar(&not, "not", false, "no longer")
	return cmd
}

func (a *app) userRemoveCommand() *cobra.Command {
	var heir string
	var deleteLevels bool
	cmd := &cobra.Command{
		Use: "remove NAME", Short: "Remove a user", Args: args(1),
		Long: `Removes a user for good. What becomes of their levels must be said: --give NAME gives
them to somebody else, --delete-levels deletes them. Their presets and platforms are
deleted; what they changed in the levels of others stays.`,
		RunE: func(_ *cobra.Command, in []string) error {
			if (heir == "") == !deleteLevels {
				return usageError{fmt.Errorf("say what becomes of the levels of %s: --give NAME, or --delete-levels", in[0])}
			}
			if err := a.onPeople(func(p People) error { return p.RemoveUser(in[0], heir) }); err != nil {
				return err
			}
			return a.show(api.User{Name: in[0]}, func(w io.Writer) { fmt.Fprintf(w, "%s is removed\n", in[0]) })
		},
	}
	cmd.Flags().StringVar(&heir, "give", "", "user who gets the levels")
	cmd.Flags().BoolVar(&deleteLevels, "delete-levels", false, "delete the levels")
	return cmd
}

// passwordCommand changes one's own password through the service.
func (a *app) passwordCommand() *cobra.Command {
	var fromStdin bool
	cmd := &cobra.Command{
		Use: "password", Short: "Change your password, and end your other sessions and tokens", Args: args(0),
		Long: `Changes your password. With --password-stdin the old one and the new one are read from
standard input, one a line.`,
		RunE: func(cmd *cobra.Command, _ []string) error {
			session, err := a.client().Session(cmd.Context())
			if err != nil {
				return err
			}
			old, err := a.password("Password until now: ", fromStdin)
			if err != nil {
				return err
			}
			fresh, err := a.password("New password: ", fromStdin)
			if err != nil {
				return err
			}
			if err := a.client().SetPassword(cmd.Context(), session.User, api.NewPassword{Old: old, New: fresh}); err != nil {
				return err
			}
			return a.show(api.User{Name: session.User}, func(w io.Writer) { fmt.Fprintln(w, "your password is changed") })
		},
	}
	cmd.Flags().BoolVar(&fromStdin, "password-stdin", false, "read both passwords from standard input")
	return cmd
}
