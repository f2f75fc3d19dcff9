package cli

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"twinsieve/service/signature"
	"twinsieve/service/view"
)

func newWebhooks(root *rootFlags) *cobra.Command {
	cmd := &cobra.Command{
		Use:   "webhooks",
		Short: "List the addresses that are told when a run ends or exceptions get an owner; add, try and remove them",
		Example: `  twinsieve webhooks add https://ledger.marrowick.example/hooks
  twinsieve webhooks try 1
  twinsieve webhooks deliveries 1`,
		Args: exactArgs(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			list, err := root.client().Webhooks(cmd.Context())
			if err != nil {
				return fromService(err)
			}
			var rows [][]string
			for _, h := range list.Webhooks {
				rows = append(rows, []string{strconv.FormatUint(uint64(h.ID), 10), h.Address, strings.Join(h.Events, ", "), h.By, h.Created.Local().Format("2006-01-02")})
			}
			return newPrinter(cmd, root.output).rows([]string{"webhook", "address", "events", "by", "since"}, rows, list, 0)
		},
	}
	var events []string
	add := &cobra.Command{
		Use: "add ADDRESS", Short: "Add an address, and print the secret that its events are signed with", Args: exactArgs(1, "an address"),
		Example: `  twinsieve webhooks add https://ledger.marrowick.example/hooks --event run.ended`,
		RunE: func(cmd *cobra.Command, args []string) error {
			h, err := root.client().AddWebhook(cmd.Context(), view.NewWebhook{Address: args[0], Events: events})
			if err != nil {
				return fromService(err)
			}
			fmt.Fprintf(cmd.ErrOrStderr(), "Webhook %d. Its events are signed, as RFC 9421 says, with this secret, which is not shown again:\n", h.ID)
			fmt.Fprintln(cmd.OutOrStdout(), h.Secret)
			return nil
		},
	}
	someOfVar(add.Flags(), &events, "event", []string{"run.ended", "exceptions.owned"}, "only these events: run.ended, exceptions.owned (default: both)")
	number := func(text string) (uint, error) {
		n, err := strconv.ParseUint(text, 10, 32)
		if err != nil {
			return 0, wrongRequest("%q is not the number of a webhook; twinsieve webhooks lists them", text)
		}
		return uint(n), nil
	}
	remove := &cobra.Command{
		Use: "remove WEBHOOK", Short: "Remove an address", Args: exactArgs(1, "the number of a webhook"), Example: `  twinsieve webhooks remove 1`,
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := number(args[0])
			if err != nil {
				return err
			}
			return fromService(root.client().DropWebhook(cmd.Context(), id))
		},
	}
	try := &cobra.Command{
		Use: "try WEBHOOK", Short: "Send it an event that says nothing", Args: exactArgs(1, "the number of a webhook"), Example: `  twinsieve webhooks try 1`,
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := number(args[0])
			if err == nil {
				_, err = root.client().TryWebhook(cmd.Context(), id)
			}
			return fromService(err)
		},
	}
	deliveries := &cobra.Command{
		Use: "deliveries WEBHOOK", Short: "List what was and is on its way to it, the newest first", Args: exactArgs(1, "the number of a webhook"), Example: `  twinsieve webhooks deliveries 1`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			id, err := number(args[0])
			if err != nil {
				return err
			}
			list, err := root.client().Deliveries(cmd.Context(), id)
			if err != nil {
				return fromService(err)
			}
			var rows [][]string
			for _, d := range list.Deliveries {
				next := ""
				if d.Next != nil {
					next = d.Next.Local().Format("15:04:05")
				}
				rows = append(rows, []string{strconv.FormatUint(uint64(d.ID), 10), d.Event, d.State, strconv.Itoa(d.Attempts), d.Created.Local().Format("2006-01-02 15:04:05"), next, d.Error})
			}
			return newPrinter(cmd, root.output).rows([]string{"delivery", "event", "state", "tries", "since", "tried next", "last time"}, rows, list, 0, 3)
		},
	}
	cmd.AddCommand(add, remove, try, deliveries, newListen())
	return cmd
}

// newListen is a stand-in for whatever receives events: it checks their signatures and prints them.
func newListen() *cobra.Command {
	var listen, secret string
	var refuse int
	cmd := &cobra.Command{
		Use:   "listen",
		Short: "Receive events and print them, to try a webhook",
		Long: `Receive events and print them, to try a webhook, until it is interrupted. With --secret, what is not signed with it is refused.

The service goes to addresses of its own machine only with serve --webhooks-inside.`,
		Example: `  twinsieve webhooks listen --listen 127.0.0.1:8650 --secret 4M2K…`,
		Args:    exactArgs(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			listener, err := net.Listen("tcp", listen)
			if err != nil {
				return wrongRequest("cannot listen on %s: %s", listen, err)
			}
			address := "http://" + listener.Addr().String()
			fmt.Fprintf(cmd.ErrOrStderr(), "events are received at %s/\n", address)
			server := &http.Server{ReadHeaderTimeout: 10 * time.Second, Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				content, err := signature.Verify(r, address+r.URL.RequestURI(), secret, 5*time.Minute)
				if err != nil && secret != "" {
					fmt.Fprintf(cmd.ErrOrStderr(), "refused: %s\n", err)
					http.Error(w, err.Error(), http.StatusForbidden)
					return
				}
				if refuse > 0 {
					refuse--
					fmt.Fprintf(cmd.ErrOrStderr(), "delivery %s is refused on purpose\n", r.Header.Get(signature.DeliveryHeader))
					http.Error(w, "not now", http.StatusServiceUnavailable)
					return
				}
				fmt.Fprintf(cmd.OutOrStdout(), "%s\n", content)
			})}
			go func() {
				<-cmd.Context().Done()
				_ = server.Shutdown(context.Background()) // nothing is lost by not waiting longer
			}()
			if err := server.Serve(listener); !errors.Is(err, http.ErrServerClosed) {
				return broken("%w", err)
			}
			return nil
		},
	}
	cmd.Flags().StringVar(&listen, "listen", "127.0.0.1:8650", "address and port to listen on")
	cmd.Flags().StringVar(&secret, "secret", "", "the secret that events are signed with (default: signatures are not checked)")
	wholeNumberVar(cmd.Flags(), &refuse, "refuse", 0, 0, 0, "reject the first `N` deliveries, to test retries")
	return cmd
}
