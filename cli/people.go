package cli

import (
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"grotta/api"
)

func (a *app) loginCommand() *cobra.Command {
	var fromStdin bool
	cmd := &cobra.Command{
		Use: "login NAME", Short: "Sign in and keep a token for this machine", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error {
			password, err := a.password("Password: ", fromStdin)
			if err != nil {
				return err
			}
			host, err := os.Hostname()
			if err != nil {
				host = "command line"
			}
			token, err := a.client().SignIn(cmd.Context(), in[0], password, api.NewToken{Name: "grotta on " + host, Days: 90})
			if err != nil {
				return err
			}
			if err := a.settings.save(map[string]string{"server": a.settings.text("server"), "token": token.Secret}); err != nil {
				return err
			}
			return a.show(api.Session{User: in[0], Scopes: token.Scopes}, func(w io.Writer) {
				fmt.Fprintf(w, "signed in to %s as %s; the token is in %s until %s\n",
					a.settings.text("server"), in[0], a.settings.path, token.Expires.Format("2006-01-02"))
			})
		},
	}
	cmd.Flags().BoolVar(&fromStdin, "password-stdin", false, "read the password from standard input")
	return cmd
}

func (a *app) logoutCommand() *cobra.Command {
	return &cobra.Command{
		Use: "logout", Short: "Forget the token of this machine", Args: args(0),
		RunE: func(*cobra.Command, []string) error { return a.settings.save(map[string]string{"token": ""}) },
	}
}

func (a *app) whoamiCommand() *cobra.Command {
	return &cobra.Command{
		Use: "whoami", Short: "Show who the token belongs to", Args: args(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			s, err := a.client().Session(cmd.Context())
			if err != nil {
				return err
			}
			return a.show(s, func(w io.Writer) { fmt.Fprintf(w, "%s, with %s\n", s.User, strings.Join(s.Scopes, ", ")) })
		},
	}
}

func (a *app) tokenCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "token", Short: "Make, list and end tokens for scripts"}
	var want api.NewToken
	create := &cobra.Command{
		Use: "create NAME", Short: "Make a token and print its secret, once", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error {
			want.Name = in[0]
			t, err := a.client().NewToken(cmd.Context(), want)
			if err != nil {
				return err
			}
			return a.show(t, func(w io.Writer) { fmt.Fprintln(w, t.Secret) })
		},
	}
	create.Flags().StringSliceVar(&want.Scopes, "scope", []string{api.ScopeRead}, "read, edit, share, admin")
	create.Flags().IntVar(&want.Days, "days", 90, "days until it ends")
	list := &cobra.Command{
		Use: "list", Short: "List your tokens", Args: args(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			tokens, err := a.client().Tokens(cmd.Context())
			if err != nil {
				return err
			}
			return a.show(tokens, func(w io.Writer) {
				var rows [][]string
				for _, t := range tokens {
					rows = append(rows, []string{t.ID, t.Name, strings.Join(t.Scopes, ","), t.Expires.Format("2006-01-02")})
				}
				table(w, "ID|NAME|SCOPES|ENDS", rows)
			})
		},
	}
	revoke := &cobra.Command{
		Use: "revoke ID", Short: "End a token", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error { return a.client().RevokeToken(cmd.Context(), in[0]) },
	}
	cmd.AddCommand(create, list, revoke)
	return cmd
}
