import { X } from 'lucide-react';
import { Dialog } from 'radix-ui';
import type { ReactNode } from 'react';

/** A dialog in the manner of the sheet. */
export function Modal(props: {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  title: string;
  about?: string;
  wide?: boolean;
  children: ReactNode;
}) {
  return (
    <Dialog.Root open={props.open} onOpenChange={props.onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-[#10151f66]" />
        <Dialog.Content
          className={`fixed left-1/2 top-[72px] z-40 max-h-[calc(100vh-96px)] max-w-[94vw] -translate-x-1/2 overflow-auto rounded border border-rule-strong bg-sheet px-6 py-5 ${props.wide ? 'w-[920px]' : 'w-[520px]'}`}
          {...(props.about ? {} : { 'aria-describedby': undefined })}
        >
          <Dialog.Title className="text-2xl">{props.title}</Dialog.Title>
          {props.about && (
            <Dialog.Description className="mt-1 text-[13px] text-ink-2">{props.about}</Dialog.Description>
          )}
          {props.children}
          <Dialog.Close className="btn btn-quiet absolute right-3 top-3" aria-label="Close">
            <X size={16} />
          </Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
