import Button from '@mui/material/Button';

/** The one button of a step that is pressed next. */
export function BigButton(props: {
  children: string;
  disabled?: boolean;
  loading?: boolean;
  onClick: () => void;
}) {
  const { children, ...rest } = props;
  return (
    <Button
      variant="contained"
      size="large"
      {...rest}
      sx={{ fontSize: 15, minWidth: 150, lineHeight: '22px' }}
    >
      {children}
    </Button>
  );
}
