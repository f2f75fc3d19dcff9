package cli

import (
	"errors"
	"fmt"
	"regexp"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"twinsieve/core/similar"
)

// explainOption says what is wrong with an option in one line: which option, what was given, and what it takes.
func explainOption(cmd *cobra.Command, err error) error {
	invalid, unknown, missing := new(pflag.InvalidValueError), new(pflag.NotExistError), new(pflag.ValueRequiredError)
	help := cmd.CommandPath() + " --help"
	switch {
	case errors.As(err, &invalid):
		return wrongRequest("--%s %s. See %s", invalid.GetFlag().Name, refused(invalid), help)
	case errors.As(err, &unknown):
		name := "--" + unknown.GetSpecifiedName()
		if unknown.GetSpecifiedShortnames() != "" {
			return wrongRequest("there is no option -%s. See %s", unknown.GetSpecifiedName(), help)
		}
		var known []string
		cmd.Flags().VisitAll(func(f *pflag.Flag) { known = append(known, "--"+f.Name) })
		if near, ok := similar.Suggest(name, known); ok {
			return wrongRequest("there is no option %s; did you mean %s? See %s", name, near, help)
		}
		return wrongRequest("there is no option %s. See %s", name, help)
	case errors.As(err, &missing):
		return wrongRequest("--%s needs a value. See %s", missing.GetSpecifiedName(), help)
	}
	return wrongRequest("%s. See %s", err, help)
}

// wantedByOption is what the options of the library take, in words.
var wantedByOption = map[string]string{"bool": "true or false", "float64": "a number such as 0.8", "duration": "a time such as 90s or 10m", "int64Slice": "whole numbers with commas between them"}

func refused(e *pflag.InvalidValueError) string {
	if wanted, ok := wantedByOption[e.GetFlag().Value.Type()]; ok {
		return fmt.Sprintf("takes %s, not %q", wanted, e.GetValue())
	}
	if own := errors.Unwrap(e); own != nil {
		return own.Error()
	}
	return fmt.Sprintf("does not take %q", e.GetValue())
}

var (
	exclusive      = regexp.MustCompile(`if any flags in the group \[([^\]]*)\] are set none of the others can be`)
	unknownCommand = regexp.MustCompile(`unknown command "([^"]*)" for "([^"]*)"(?s:.*Did you mean this\?\s+(\S+))?`)
)

// explainCommand says in one line what the library finds wrong with a command.
func explainCommand(err error) error {
	if m := exclusive.FindStringSubmatch(err.Error()); m != nil {
		return wrongRequest("choose one of %s", "--"+strings.ReplaceAll(m[1], " ", ", --"))
	}
	if m := unknownCommand.FindStringSubmatch(err.Error()); m != nil {
		suggestion := ""
		if m[3] != "" {
			suggestion = fmt.Sprintf("; did you mean %q?", m[3])
		}
		return wrongRequest("there is no command %q%s See %s --help", m[1], suggestion+strings.Repeat(".", 1-min(len(suggestion), 1)), m[2])
	}
	return &failure{exitRequest, err}
}

// needs refuses options that say nothing without another one.
func needs(cmd *cobra.Command, option string, others ...string) error {
	if cmd.Flags().Changed(option) {
		return nil
	}
	for _, other := range others {
		if cmd.Flags().Changed(other) {
			return wrongRequest("--%s needs --%s", other, option)
		}
	}
	return nil
}
