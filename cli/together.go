package cli

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/client"
)

// This file has the commands of people who work together.

func (a *app) teamCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "team", Short: "Make teams and say who is in them"}
	list := &cobra.Command{
		Use: "list", Short: "List the teams that you are in", Args: args(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			teams, err := a.client().Teams(cmd.Context())
			if err != nil {
				return err
			}
			return a.show(teams, func(w io.Writer) {
				if len(teams) == 0 {
					fmt.Fprintln(w, `You are in no team. "grotta team create NAME" makes one.`)
					return
				}
				var rows [][]string
				for _, t := range teams {
					var members []string
					for _, m := range t.Members {
						members = append(members, m.User+" ("+m.Role+")")
					}
					rows = append(rows, []string{t.Name, t.Role, strings.Join(members, ", "), strconv.Itoa(t.Levels), strconv.Itoa(t.Presets), t.Note})
				}
				table(w, "TEAM|YOU ARE|MEMBERS|LEVELS|PRESETS|NOTE", rows)
			})
		},
	}
	note := ""
	create := &cobra.Command{
		Use: "create NAME", Short: "Make a team that you own", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error {
			return a.client().NewTeam(cmd.Context(), api.NewTeam{Name: in[0], Note: note})
		},
	}
	create.Flags().StringVar(&note, "note", "", "what it is for")
	role := ""
	member := &cobra.Command{
		Use: "member TEAM USER", Short: "Give somebody a role in a team, or take them off it", Args: args(2),
		RunE: func(cmd *cobra.Command, in []string) error {
			as, err := roleNamed(role, "owner", "editor", "commenter", "viewer", "none")
			if err != nil {
				return err
			}
			return a.client().SetTeamMember(cmd.Context(), in[0], in[1], as)
		},
	}
	member.Flags().StringVar(&role, "as", "editor", "owner, editor, commenter, viewer, or none to take them off")
	remove := &cobra.Command{
		Use: "delete TEAM", Short: "Delete a team; its levels and presets stay with their owners", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error { return a.client().DeleteTeam(cmd.Context(), in[0]) },
	}
	cmd.AddCommand(list, create, member, remove)
	return cmd
}

// roleNamed judges a role; none is "".
func roleNamed(role string, allowed ...string) (string, error) {
	for _, r := range allowed {
		if role != r {
			continue
		}
		if r == "none" {
			return "", nil
		}
		return r, nil
	}
	return "", usageError{fmt.Errorf("--as is %q; allowed is %s", role, strings.Join(allowed, ", "))}
}

func (a *app) linkCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "link", Short: "Make links that open a level or a preset, or let somebody join"}
	var want api.NewShareLink
	var invite bool
	create := &cobra.Command{
		Use: "create [--level LEVEL | --preset NAME | --join]", Short: "Make a link and print it, once", Args: args(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c := a.client()
			switch {
			case want.Level != "":
				l, err := c.FindLevel(cmd.Context(), want.Level)
				if err != nil {
					return err
				}
				want.Kind, want.Level = "level", l.ID
			case want.Preset != "":
				want.Kind = "preset"
			case invite:
				want.Kind = "join"
			}
			link, err := c.NewShareLink(cmd.Context(), want)
			if err != nil {
				return err
			}
			return a.show(link, func(w io.Writer) { fmt.Fprintln(w, strings.TrimSuffix(c.URL, "/")+link.Path) })
		},
	}
	f := create.Flags()
	f.StringVar(&want.Level, "level", "", "level that it opens")
	f.StringVar(&want.Preset, "preset", "", "preset of yours that it opens")
	f.BoolVar(&invite, "join", false, "an invitation: somebody makes an account with it; admins alone")
	f.StringVar(&want.Role, "as", "", "of a level: viewer, commenter or editor (default viewer)")
	f.IntVar(&want.Hours, "hours", 0, "how long it can be used (default 168, a week)")
	f.StringVar(&want.Note, "note", "", "for whom it is")
	create.MarkFlagsOneRequired("level", "preset", "join")
	create.MarkFlagsMutuallyExclusive("level", "preset", "join")
	list := &cobra.Command{
		Use: "list", Short: "List your links and who used them", Args: args(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			links, err := a.client().ShareLinks(cmd.Context())
			if err != nil {
				return err
			}
			return a.show(links, func(w io.Writer) {
				var rows [][]string
				for _, l := range links {
					var users []string
					for _, u := range l.Uses {
						users = append(users, u.User)
					}
					state := "until " + l.Expires.Format("2006-01-02 15:04")
					if l.Withdrawn {
						state = "withdrawn"
					}
					rows = append(rows, []string{l.ID, l.Kind, cmp.Or(l.About, "-"), cmp.Or(l.Role, "-"), state, cmp.Or(strings.Join(users, ", "), "nobody"), l.Note})
				}
				table(w, "ID|OPENS|WHAT|AS|STATE|USED BY|NOTE", rows)
			})
		},
	}
	withdraw := &cobra.Command{
		Use: "withdraw ID", Short: "End a link and what it opened", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error { return a.client().WithdrawLink(cmd.Context(), in[0]) },
	}
	open := &cobra.Command{
		Use: "open LINK", Short: "Use a link", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error {
			secret := in[0][strings.LastIndexByte(in[0], '/')+1:]
			opened, err := a.client().OpenLink(cmd.Context(), secret)
			if err != nil {
				return err
			}
			return a.show(opened, func(w io.Writer) { fmt.Fprintf(w, "You may see the %s %s now.\n", opened.Kind, opened.Name) })
		},
	}
	cmd.AddCommand(create, list, withdraw, open)
	return cmd
}

func (a *app) commentCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "comment", Short: "Say something about a level, a place or a thing of it"}
	var all bool
	list := &cobra.Command{
		Use: "list LEVEL", Short: "List what was said about a level", Args: args(1), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			comments, err := c.Comments(ctx, l.ID)
			if err != nil {
				return err
			}
			return a.show(comments, func(w io.Writer) { writeThreads(w, comments, all) })
		}),
	}
	list.Flags().BoolVar(&all, "all", false, "also those that are settled")
	var want api.NewComment
	at := ""
	add := &cobra.Command{
		Use: "add LEVEL TEXT", Short: "Say something; @name calls somebody", Args: args(2), ValidArgsFunction: a.completeLevels,
		Example: "  grotta comment add \"Paper Mill\" \"Too dark to read, @ivo\" --at 3,1.2,-4",
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			want.Text = in[1]
			if at != "" {
				v, err := vector("--at", at)
				if err != nil {
					return err
				}
				want.At = &v
			}
			made, err := c.AddComment(ctx, l.ID, want)
			if err != nil {
				return err
			}
			return a.show(made, func(w io.Writer) { fmt.Fprintln(w, made.ID) })
		}),
	}
	add.Flags().StringVar(&at, "at", "", "a place, x,y,z in metres")
	add.Flags().StringVar(&want.Entity, "thing", "", "id of a thing")
	add.Flags().StringVar(&want.Thread, "answer", "", "id of the comment that it answers")
	settle := func(use, short string, to bool) *cobra.Command {
		return &cobra.Command{
			Use: use, Short: short, Args: args(2), ValidArgsFunction: a.completeLevels,
			RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
				return c.ChangeComment(ctx, l.ID, in[1], api.CommentChange{Resolved: &to})
			}),
		}
	}
	remove := &cobra.Command{
		Use: "delete LEVEL COMMENT", Short: "Delete a comment, with its answers", Args: args(2), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			return c.DeleteComment(ctx, l.ID, in[1])
		}),
	}
	cmd.AddCommand(list, add, settle("settle LEVEL COMMENT", "Say that a thread is settled", true), settle("reopen LEVEL COMMENT", "Open a settled thread again", false), remove)
	return cmd
}

// writeThreads lists comments by thread.
func writeThreads(w io.Writer, comments []api.Comment, all bool) {
	shown := 0
	for _, first := range comments {
		if first.Thread != first.ID || first.Resolved != nil && !all {
			continue
		}
		shown++
		where := first.Entity
		if first.At != nil {
			where = strings.TrimSpace(fmt.Sprintf("%s at %.2f,%.2f,%.2f", where, first.At[0], first.At[1], first.At[2]))
		}
		state := ""
		if first.Resolved != nil {
			state = ", settled by " + first.Resolver
		}
		fmt.Fprintf(w, "%s  %s  %s, revision %d%s\n", first.ID, strings.TrimSpace(where), first.Author, first.Revision, state)
		for _, c := range comments {
			if c.Thread == first.ID {
				fmt.Fprintf(w, "  %s, %s: %s\n", c.Author, ago(c.Created), c.Text)
			}
		}
	}
	if shown == 0 {
		fmt.Fprintln(w, "Nothing is open.")
	}
}

func (a *app) reviewCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "review", Short: "Ask for a judgement of a revision, or give one"}
	list := &cobra.Command{
		Use: "list LEVEL", Short: "List the reviews of a level", Args: args(1), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			reviews, err := c.Reviews(ctx, l.ID)
			if err != nil {
				return err
			}
			return a.show(reviews, func(w io.Writer) {
				var rows [][]string
				for _, r := range reviews {
					rows = append(rows, []string{r.ID, strconv.Itoa(r.Revision), r.Asker, r.Reviewer, strings.ReplaceAll(r.State, "_", " "), fmt.Sprintf("%d errors, %d warnings", r.Errors, r.Warnings), cmp.Or(r.Answer, r.Text)})
				}
				table(w, "ID|REVISION|ASKED BY|REVIEWER|STATE|CHECKS|WORDS", rows)
			})
		}),
	}
	var want api.NewReview
	ask := &cobra.Command{
		Use: "ask LEVEL USER", Short: "Ask somebody to judge a revision", Args: args(2), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			want.Reviewer = in[1]
			r, err := c.AskReview(ctx, l.ID, want)
			if err != nil {
				return err
			}
			return a.show(r, func(w io.Writer) {
				fmt.Fprintf(w, "%s  asked %s about revision %d (%d errors, %d warnings)\n", r.ID, r.Reviewer, r.Revision, r.Errors, r.Warnings)
			})
		}),
	}
	ask.Flags().IntVar(&want.Revision, "revision", 0, "which (default: the newest)")
	ask.Flags().StringVar(&want.Text, "text", "", "what to look at")
	var approve, changes bool
	var text string
	answer := &cobra.Command{
		Use: "answer LEVEL REVIEW", Short: "Judge a revision that you were asked about", Args: args(2), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			state := "approved"
			if changes {
				state = "changes_wanted"
			}
			r, err := c.AnswerReview(ctx, l.ID, in[1], api.ReviewAnswer{State: state, Text: text})
			if err != nil {
				return err
			}
			return a.show(r, func(w io.Writer) {
				fmt.Fprintf(w, "revision %d: %s\n", r.Revision, strings.ReplaceAll(r.State, "_", " "))
			})
		}),
	}
	answer.Flags().BoolVar(&approve, "approve", false, "it is good")
	answer.Flags().BoolVar(&changes, "changes", false, "it needs changes")
	answer.Flags().StringVar(&text, "text", "", "why")
	answer.MarkFlagsOneRequired("approve", "changes")
	answer.MarkFlagsMutuallyExclusive("approve", "changes")
	cmd.AddCommand(list, ask, answer)
	return cmd
}

func (a *app) noticesCommand() *cobra.Command {
	var all, read bool
	cmd := &cobra.Command{
		Use: "notices", Short: "What others did that is about you", Args: args(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			notices, err := a.client().Notices(cmd.Context(), !all)
			if err != nil {
				return err
			}
			if read {
				if err := a.client().ReadNotices(cmd.Context()); err != nil {
					return err
				}
			}
			return a.show(notices, func(w io.Writer) {
				if len(notices) == 0 {
					fmt.Fprintln(w, "Nothing new.")
				}
				for _, n := range notices {
					fmt.Fprintf(w, "%s  %s%s %s (%s)\n", ago(n.Created), n.From, map[string]string{"mention": " calls you:", "answer": " answers:"}[n.Kind], n.Text, cmp.Or(n.About, n.Kind))
				}
			})
		},
	}
	cmd.Flags().BoolVar(&all, "all", false, "also those that you have read")
	cmd.Flags().BoolVar(&read, "read", false, "mark them as read")
	return cmd
}

func (a *app) webhookCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "webhook", Short: "Have your notices sent to an address"}
	add := &cobra.Command{
		Use: "add URL", Short: "Send to an address, and print the key of the signature, once", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error {
			hook, err := a.client().NewWebhook(cmd.Context(), in[0])
			if err != nil {
				return err
			}
			return a.show(hook, func(w io.Writer) { fmt.Fprintf(w, "%s\nkey: %s\n", hook.ID, hook.Secret) })
		},
	}
	list := &cobra.Command{
		Use: "list", Short: "List your webhooks and how they do", Args: args(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			hooks, err := a.client().Webhooks(cmd.Context())
			if err != nil {
				return err
			}
			return a.show(hooks, func(w io.Writer) {
				var rows [][]string
				for _, h := range hooks {
					rows = append(rows, []string{h.ID, h.URL, strconv.Itoa(h.Sent), strconv.Itoa(h.Failed), cmp.Or(h.Fault, "-")})
				}
				table(w, "ID|ADDRESS|SENT|FAILED|WHY", rows)
			})
		},
	}
	remove := &cobra.Command{
		Use: "delete ID", Short: "End a webhook", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error { return a.client().DeleteWebhook(cmd.Context(), in[0]) },
	}
	cmd.AddCommand(add, list, remove)
	return cmd
}

func (a *app) auditCommand() *cobra.Command {
	var who, action, about string
	var limit, before int
	cmd := &cobra.Command{
		Use: "audit", Short: "List who did what on the service; for admins", Args: args(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			entries, err := a.client().Audit(cmd.Context(), who, action, about, before, limit)
			if err != nil {
				return err
			}
			return a.show(entries, func(w io.Writer) {
				var rows [][]string
				for _, e := range entries {
					rows = append(rows, []string{strconv.Itoa(e.Number), e.At.Format("2006-01-02 15:04:05"), e.Who, e.Action, e.About})
				}
				table(w, "NUMBER|WHEN|WHO|WHAT|ABOUT", rows)
			})
		},
	}
	f := cmd.Flags()
	f.StringVar(&who, "who", "", "by this person")
	f.StringVar(&action, "action", "", "this action, such as share-level")
	f.StringVar(&about, "about", "", "about something with this in its name")
	f.IntVar(&limit, "limit", 50, "how many")
	f.IntVar(&before, "before", 0, "only entries before this number")
	return cmd
}

func (a *app) variantCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "variant", Short: "Make variants of a level and merge them with it"}
	list := &cobra.Command{
		Use: "list LEVEL", Short: "List the variants of a level", Args: args(1), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			variants, err := c.Variants(ctx, l.ID)
			if err != nil {
				return err
			}
			return a.show(variants, func(w io.Writer) {
				var rows [][]string
				for _, v := range variants {
					follows := "by hand"
					if v.Follows {
						follows = "by itself"
					}
					rows = append(rows, []string{v.Level.Variant, v.Level.ID, v.Level.Name, cmp.Or(v.Level.Platform, "-"), fmt.Sprintf("%d behind", v.Behind), follows})
				}
				table(w, "VARIANT|ID|LEVEL|PLATFORM|ITS ORIGINAL|MERGED", rows)
			})
		}),
	}
	var want api.NewVariant
	create := &cobra.Command{
		Use: "create LEVEL NAME", Short: "Make a variant", Args: args(2), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			want.Name = in[1]
			made, err := c.NewVariant(ctx, l.ID, want)
			if err != nil {
				return err
			}
			return a.showLevel(made.Level)
		}),
	}
	create.Flags().StringVar(&want.Platform, "platform", "", "platform that the variant is checked against")
	create.Flags().BoolVar(&want.Follows, "follows", false, "what is changed in the level comes into the variant by itself")
	var m api.NewMerge
	back := false
	merge := &cobra.Command{
		Use: "merge VARIANT", Short: "Bring a variant and its original together, field by field", Args: args(1), ValidArgsFunction: a.completeLevels,
		Long: `Takes what was changed in the original since into the variant; with --back, what was
changed in the variant into the original. What both have changed is a clash: the one
that is changed keeps its own unless --take names it.`,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			if m.Into = "variant"; back {
				m.Into = "original"
			}
			done, err := c.MergeVariant(ctx, l.ID, m)
			if err != nil {
				return err
			}
			return a.show(done, func(w io.Writer) {
				if m.Dry {
					writeChanges(w, done.Changes)
				} else {
					fmt.Fprintf(w, "%s is at revision %d\n", done.Level, done.Revision)
				}
				writeClashes(w, done.Clashes)
			})
		}),
	}
	merge.Flags().BoolVar(&back, "back", false, "into the original")
	merge.Flags().StringSliceVar(&m.Take, "take", nil, "clashes settled by the other side, as they are listed; all for every one")
	merge.Flags().BoolVar(&m.Dry, "dry-run", false, "only say what would change")
	cmd.AddCommand(list, create, merge)
	return cmd
}
