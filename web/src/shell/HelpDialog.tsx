import { ALL_KEYS } from './keys';
import { Modal } from './Modal';

export function HelpDialog({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  return (
    <Modal open={open} onOpenChange={onOpenChange} title="Keyboard" about="Everything works without a mouse.">
      <table className="mt-2 w-full">
        <tbody>
          {ALL_KEYS.map(([keys, what]) => (
            <tr key={keys} className="border-t border-rule">
              <td className="py-1.5 pr-6">
                <span className="key">{keys}</span>
              </td>
              <td className="py-1.5">{what}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Modal>
  );
}
