// Package cli is the command line: Cobra commands on the Go client, and the
// commands that run the service. It holds no light and no rights of its own.
package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"strings"
	"syscall"

	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/client"
)

// Exit codes. A check tells its gravest finding by them.
const (
	exitOK       = 0
	exitFailed   = 1
	exitUsage    = 2
	exitWarnings = 3
	exitErrors   = 4
)

// exit is an error that only sets the exit code; all is said already.
type exit int

func (e exit) Error() string { return fmt.Sprintf("exit %d", int(e)) }

// usageError is a call that cannot be taken as it is written.
type usageError struct{ error }

// app is what commands share.
type app struct {
	host     Host
	in       io.Reader
	lines    *bufio.Reader // of in, once a line of it is read
	out, err io.Writer
	settings *settings
	json     bool
}

// Main runs the command line and returns its exit code.
func Main(args []string, host Host, in io.Reader, out, errOut io.Writer) int {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	a := &app{host: host, in: in, out: out, err: errOut}
	root := a.root()
	root.SetArgs(args)
	err := root.ExecuteContext(ctx)
	var code exit
	switch {
	case err == nil:
		return exitOK
	case errors.As(err, &code):
		return int(code)
	case ctx.Err() != nil:
		fmt.Fprintln(errOut, "stopped")
		return 130
	}
	a.report(err)
	if isUsage(err) {
		return exitUsage
	}
	return exitFailed
}

// isUsage tells whether a call was not written as it must be. What Cobra itself refuses
// has no type, only its words.
func isUsage(err error) bool {
	var usage usageError
	if errors.As(err, &usage) {
		return true
	}
	for _, words := range []string{"unknown command", "required flag", "at least one of the flags", "if any flags in the group"} {
		if strings.HasPrefix(err.Error(), words) {
			return true
		}
	}
	return false
}

// report tells an error: as JSON where --json was given, so that scripts read
// one form only.
func (a *app) report(err error) {
	var p *api.Problem
	if a.json && errors.As(err, &p) {
		a.writeJSON(a.err, p)
		return
	}
	fmt.Fprintln(visible{a.err}, "grotta:", err)
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "grotta",
		Short: "Light levels, see them truly lit, and be told what the platform will refuse",
		Long: `Grotta is a light bench for people who make maps, mods and worlds: bring a
level in, light it, bake it, look at it, check it, share what works.

Run the service with "grotta serve" (or "grotta demo" for a first look), sign in
with "grotta login", and name levels by their id or their name.

Exit codes: 0 well, 1 failed, 2 not understood; "grotta check" ends with 3 when
there are warnings and 4 when there are errors.`,
		SilenceUsage: true, SilenceErrors: true,
		PersistentPreRunE: func(cmd *cobra.Command, _ []string) error {
			var err error
			a.settings, err = loadSettings(cmd.Flags())
			return err
		},
	}
	root.SetIn(a.in)
	root.SetOut(a.out)
	root.SetErr(a.err)
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return usageError{err} })
	flags := root.PersistentFlags()
	flags.BoolVar(&a.json, "json", false, "answer as JSON")
	flags.String("server", "", "address of the service (default http://127.0.0.1:8460)")
	flags.String("token", "", "token to use instead of the one from login")
	flags.String("config", "", "configuration file")
	groups := []struct {
		id, title string
		commands  []*cobra.Command
	}{
		{"run", "Run the service:", []*cobra.Command{a.openCommand(), a.serveCommand(), a.workerCommand(), a.workersCommand(), a.demoCommand(), a.userCommand(), a.backupCommand(), a.restoreCommand(), a.verifyCommand(), a.cleanCommand()}},
		{"people", "Who you are:", []*cobra.Command{a.loginCommand(), a.logoutCommand(), a.whoamiCommand(), a.passwordCommand(), a.tokenCommand()}},
		{"levels", "Levels and lights:", []*cobra.Command{a.levelCommand(), a.lightCommand(), a.sunCommand(), a.densityCommand()}},
		{"light", "Light, look, check:", []*cobra.Command{a.bakeCommand(), a.bakesCommand(), a.lightmapCommand(), a.shotCommand(), a.sheetCommand(), a.compareCommand(), a.airCommand(), a.gradeCommand(), a.checkCommand(), a.rulesCommand(), a.waiveCommand(), a.fitCommand(), a.ledgerCommand(), a.probesCommand(), a.reflectionCommand()}},
		{"share", "Share:", []*cobra.Command{a.presetCommand(), a.platformCommand(), a.handOverCommand(), a.handBackCommand(), a.linkCommand()}},
		{"together", "Work together:", []*cobra.Command{a.teamCommand(), a.variantCommand(), a.commentCommand(), a.reviewCommand(), a.noticesCommand(), a.webhookCommand(), a.auditCommand()}},
		{"about", "About this program:", []*cobra.Command{a.configCommand(), a.schemaCommand(), a.openapiCommand(), a.versionCommand()}},
	}
	for _, g := range groups {
		root.AddGroup(&cobra.Group{ID: g.id, Title: g.title})
		for _, c := range g.commands {
			c.GroupID = g.id
			refuseUnknown(c)
			root.AddCommand(c)
		}
	}
	return root
}

// refuseUnknown makes a command that only has others under it refuse what is none of them. Cobra shows help in place of that.
func refuseUnknown(c *cobra.Command) {
	if !c.HasSubCommands() || c.Runnable() {
		return
	}
	c.DisableFlagsInUseLine = true
	c.RunE = func(cmd *cobra.Command, got []string) error {
		if len(got) == 0 {
			return cmd.Help()
		}
		cmd.SuggestionsMinimumDistance = 2
		near := ""
		if list := cmd.SuggestionsFor(got[0]); len(list) > 0 {
			near = fmt.Sprintf("; did you mean %q?", list[0])
		}
		return usageError{fmt.Errorf("unknown command %q for %q%s", got[0], cmd.CommandPath(), near)}
	}
	for _, sub := range c.Commands() {
		refuseUnknown(sub)
	}
}

// args wraps Cobra's judgement of arguments so that a wrong call exits with 2
// and shows how it is written.
func args(n int, more ...int) cobra.PositionalArgs {
	most := n
	if len(more) > 0 {
		most = more[0]
	}
	return func(cmd *cobra.Command, got []string) error {
		if most >= 0 && len(got) > most {
			return usageError{fmt.Errorf("%q is too much: %s", got[most], cmd.UseLine())}
		}
		if len(got) < n {
			return usageError{fmt.Errorf("%s takes other arguments: %s", cmd.CommandPath(), cmd.UseLine())}
		}
		return nil
	}
}

func (a *app) client() *client.Client {
	return &client.Client{URL: a.settings.text("server"), Token: a.settings.text("token")}
}

// level resolves the level that the first argument names.
func (a *app) level(ctx context.Context, ref string) (*client.Client, api.LevelInfo, error) {
	c := a.client()
	l, err := c.FindLevel(ctx, ref)
	return c, l, err
}

// onLevel makes a command of what is done to the level that its first argument
// names.
func (a *app) onLevel(do func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error) func(*cobra.Command, []string) error {
	return func(cmd *cobra.Command, in []string) error {
		c, l, err := a.level(cmd.Context(), in[0])
		if err != nil {
			return err
		}
		return do(cmd.Context(), c, l, in)
	}
}

// completeLevels offers the names of levels.
func (a *app) completeLevels(cmd *cobra.Command, done []string, _ string) ([]string, cobra.ShellCompDirective) {
	if len(done) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return a.names(cmd, func(ctx context.Context, c *client.Client) (names []string, err error) {
		levels, err := c.Levels(ctx)
		for _, l := range levels {
			names = append(names, l.Name)
		}
		return names, err
	})
}

// completeLights offers levels, then the lights of the level.
func (a *app) completeLights(cmd *cobra.Command, done []string, part string) ([]string, cobra.ShellCompDirective) {
	if len(done) != 1 {
		return a.completeLevels(cmd, done, part)
	}
	return a.names(cmd, func(ctx context.Context, c *client.Client) (names []string, err error) {
		l, err := c.FindLevel(ctx, done[0])
		if err != nil {
			return nil, err
		}
		doc, err := c.Level(ctx, l.ID)
		if err == nil {
			for _, light := range doc.Document.Lights {
				names = append(names, light.ID)
			}
		}
		return names, err
	})
}

func (a *app) names(cmd *cobra.Command, ask func(context.Context, *client.Client) ([]string, error)) ([]string, cobra.ShellCompDirective) {
	var err error
	if a.settings, err = loadSettings(cmd.Flags()); err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	names, err := ask(cmd.Context(), a.client())
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	return names, cobra.ShellCompDirectiveNoFileComp
}
